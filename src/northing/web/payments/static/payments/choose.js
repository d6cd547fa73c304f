// Ticking bills to pay: one box for all, and what the ticked ones come to by currency.
const form = document.querySelector("form[data-choose]");
const boxes = [...form.querySelectorAll("[name=bill]")];
const all = form.querySelector("[data-all]");
const said = form.querySelector("[data-chosen]");

function tell() {
  const sums = new Map();
  const ticked = boxes.filter((box) => box.checked);
  for (const { dataset } of ticked) sums.set(dataset.currency, (sums.get(dataset.currency) ?? 0) + Number(dataset.pays));
  const amounts = [...sums].map(([currency, sum]) => `${sum.toLocaleString("en", { minimumFractionDigits: 2 })} ${currency}`);
  if (said) said.textContent = ticked.length ? `${ticked.length}: ${amounts.join(", ")}` : "";
  if (all) all.checked = ticked.length > 0 && ticked.length === boxes.length;
}

all?.addEventListener("change", () => {
  for (const box of boxes) box.checked = all.checked;
  tell();
});
form.addEventListener("change", tell);
tell();
