// The line book by hand: rows are picked, opened beside the list, grouped; the address always says what is seen.
const book = document.getElementById("book");
const beside = document.getElementById("beside");
const all = document.getElementById("all");
const picked = document.getElementById("picked");
const found = picked?.textContent;

const here = () => new URL(location.href);
const boxes = () => [...document.querySelectorAll('input[name="pick"]')];
const rowOf = (element) => element?.closest?.("tr[data-line]");

function count() {
  const many = boxes().filter((box) => box.checked).length;
  if (picked) picked.textContent = many ? `${many} picked` : found;
  for (const box of boxes()) rowOf(box).classList.toggle("picked", box.checked);
}

function pick(row, onto) {
  const box = row.querySelector('input[name="pick"]');
  box.checked = onto ?? !box.checked;
  if (all) all.checked = false;
  count();
}

function mark(line) {
  const address = here();
  if (line) address.searchParams.set("open", line);
  else address.searchParams.delete("open");
  history.replaceState(null, "", address);
  beside.hidden = !line;
  document.querySelector("tr.opened")?.classList.remove("opened");
  document.querySelector(`tr[data-line="${line}"]`)?.classList.add("opened");
}

async function open(row) {
  const line = row.dataset.line;
  try {
    const answer = await fetch(`/orders/lines/${line}/?beside=1`);
    if (!answer.ok || answer.redirected) throw new Error("not there");
    beside.innerHTML = await answer.text();
    mark(line);
  } catch {
    location.assign(`/orders/lines/${line}/`);
  }
}

document.addEventListener("click", (event) => {
  if (event.ctrlKey || event.metaKey || event.shiftKey) return;
  if (event.target.closest("[data-close]")) {
    event.preventDefault();
    mark("");
  } else if (event.target.matches('input[name="pick"]')) {
    pick(rowOf(event.target), event.target.checked);
  } else if (rowOf(event.target) && !event.target.closest("input")) {
    event.preventDefault();
    rowOf(event.target).querySelector("a").focus();
    open(rowOf(event.target));
  }
});

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  const row = rowOf(document.activeElement);
  if (event.key === " " && row && !document.activeElement.matches("input")) {
    event.preventDefault();
    pick(row);
  } else if (event.key === "Escape" && !beside.hidden) {
    mark("");
  }
});

all?.addEventListener("change", () => {
  for (const box of boxes()) box.checked = all.checked;
  count();
  if (all.checked) picked.textContent = `all that match: ${found}`;
});

document.getElementById("group")?.addEventListener("change", (event) => {
  const address = here();
  address.searchParams.set("where", document.getElementById("where").value || "open");
  address.searchParams.delete("after");
  if (event.target.value) address.searchParams.set("group", event.target.value);
  else address.searchParams.delete("group");
  location.assign(address);
});
count();
