// The loading list: how much of what is picked there is, by volume and by weight.
const form = document.getElementById("pick-parts");
const picked = document.getElementById("picked");
const all = document.getElementById("all");
const boxes = [...form?.querySelectorAll('input[name="part"]') ?? []];

function count() {
  const chosen = boxes.filter((box) => box.checked);
  const sum = (name) => chosen.reduce((whole, box) => whole + Number(box.dataset[name]), 0);
  const kg = Math.round(sum("heavy")).toLocaleString("en");
  if (!picked) return;
  picked.textContent = chosen.length ? `${chosen.length} picked: ${sum("cubic").toFixed(1)} m³, ${kg} kg` : "Pick lines to load them.";
}

form?.addEventListener("change", (event) => {
  if (event.target === all) for (const box of boxes) box.checked = all.checked;
  else if (event.target.name === "part") all.checked = false;
  count();
});
// With all that match, the filters say which: their keys need not be sent one by one.
form?.addEventListener("submit", () => {
  if (all.checked) for (const box of boxes) box.disabled = true;
});
addEventListener("pageshow", () => {
  for (const box of boxes) box.disabled = false;
  count();
});
