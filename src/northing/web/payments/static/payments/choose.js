// Ticking bills to pay: one box for all, and what the ticked ones come to by currency.
const form = document.querySelector("form[data-choose]");
const boxes = [...form.querySelectorAll("[name=bill]")];
const all = form.querySelector("[data-all]");
const said = form.querySelector("[data-chosen]");
const every = form.querySelector("[name=every]");

function tell() {
  const sums = new Map();
  const places = new Map(boxes.map(({ dataset }) => [dataset.currency, Number(dataset.places)]));
  const ticked = boxes.filter((box) => box.checked);
  for (const { dataset } of ticked) sums.set(dataset.currency, (sums.get(dataset.currency) ?? 0) + Number(dataset.pays));
  const shown = (sum, digits) => sum.toLocaleString("en", { minimumFractionDigits: digits, maximumFractionDigits: digits });
  const amounts = [...sums].map(([currency, sum]) => `${shown(sum, places.get(currency))} ${currency}`);
  if (said) said.textContent = ticked.length ? `${ticked.length}: ${amounts.join(", ")}` : "";
  if (said && every?.checked) said.textContent = `all ${every.value}`;
  if (all) all.checked = ticked.length > 0 && ticked.length === boxes.length;
}

all?.addEventListener("change", () => {
  for (const box of boxes) box.checked = all.checked;
  tell();
});
form.addEventListener("change", tell);
tell();
