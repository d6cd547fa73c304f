// Answers decided by one key: a accepts, c counters, r refuses; the row in hand, or all that are picked.
const form = document.getElementById("answers");
const picked = document.getElementById("picked");
const none = picked?.textContent;
const boxes = () => [...document.querySelectorAll('input[name="pick"]')];
const decisions = { a: "accept", c: "counter", r: "refuse" };

function count() {
  const many = boxes().filter((box) => box.checked).length;
  if (picked) picked.textContent = many ? `${many} picked` : none;
}

document.addEventListener("change", count);
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || !form) return;
  const here = document.activeElement;
  if (here.matches("input:not([type=checkbox]), select, textarea")) return;
  const row = here.closest("tr[data-answer]") ?? document.querySelector("tr[data-answer]");
  if (event.key === " " && here.closest("tr[data-answer]") && !here.matches("input, button")) {
    event.preventDefault();
    const box = row.querySelector('input[name="pick"]');
    box.checked = !box.checked;
    count();
  } else if (decisions[event.key]) {
    event.preventDefault();
    const many = boxes().some((box) => box.checked);
    const button = document.createElement("button");
    button.name = decisions[event.key];
    button.value = many ? "picked" : row.dataset.answer;
    button.hidden = true;
    form.append(button);
    form.requestSubmit(button);
  }
});
count();
