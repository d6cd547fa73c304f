// In the hand the list comes first: its filter waits behind one touch. Where the filter found nothing, or was refused, it
// stays open.
const fold = document.querySelector("details.fold");
const refused = fold?.querySelector("[aria-invalid=true]");
if (fold && !refused && document.querySelector("main tbody tr") && matchMedia("(max-width: 40rem)").matches) {
  fold.open = false;
}
