// What is typed on a supplier's bill is reckoned at once: the amount of each line, its bar, and how far the stated
// total is off. The page itself decides; this only shows.
const form = document.querySelector("form[data-decimals]");
const places = Number(form.dataset.decimals);
const said = (field) => Number((field?.value ?? "").replace(/[, ]/g, "").replace("−", "-")) || 0;
const shown = (value) => value.toLocaleString("en", { minimumFractionDigits: places, maximumFractionDigits: places });

function reckon(line) {
  const [units, price] = [said(line.querySelector("[name^=quantity]")), said(line.querySelector("[name^=price]"))];
  const [factor, agreed] = [Number(line.dataset.factor), Number(line.dataset.agreed)];
  const amount = (units * price) / factor;
  line.querySelector("output.amount").textContent = shown(amount);
  line.classList.toggle("left-out", !units);
  const above = (units * (price - agreed)) / factor;
  const off = Math.abs(above) >= 0.5 / 10 ** places;
  const words = above > 0 ? "above" : "below";
  line.querySelector(".above").textContent = off ? `${shown(Math.abs(above))} ${words} what was agreed` : "";
  line.classList.toggle("above-agreed", off && above > 0);
  draw(line.querySelector("svg.bill-band"), units);
  return amount;
}

function draw(band, units) {
  const [before, now] = [band.querySelector(".bill-billed"), band.querySelector(".bill-now")];
  const wide = 230;
  const scale = wide / Math.max(Number(band.dataset.whole), 1e-9);
  const start = Number(before.getAttribute("width"));
  now.setAttribute("width", Math.max(0, Math.min(units * scale, wide - start)));
}

function all() {
  let total = said(form.elements.tax) + said(form.elements.second_tax);
  for (const line of form.querySelectorAll(".bill-line")) total += reckon(line);
  for (const field of form.querySelectorAll("[name^=amount-x]")) total += said(field);
  form.elements.total.placeholder = shown(total);
}

form.addEventListener("input", all);
all();
