// How far an job is, asked for until it is over; then the page says the rest.
const far = document.getElementById("far");
let wait = 400;

async function ask() {
  try {
    const answer = await fetch("?as=json");
    const now = await answer.json();
    far.querySelector("progress").value = now.done;
    far.querySelector("span").textContent = `${now.done} of ${now.total}`;
    if (now.over) return location.reload();
  } catch {
    far.querySelector("span").textContent = "no connection; it goes on without us";
  }
  wait = Math.min(wait * 1.3, 4000);
  setTimeout(ask, wait);
}
setTimeout(ask, wait);
