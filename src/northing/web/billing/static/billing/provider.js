// The bill of a provider: its lines and tax are added up as one types, and held against the stated total.
import { plus, read, written } from "../common/exact.js";

const form = document.querySelector("form[data-foresee]");
const output = document.getElementById("lines-total");
const nothing = { units: 0n, scale: 0 };

function add() {
  const amounts = [...form.querySelectorAll('[name^="amount-line-"]'), form.elements.tax];
  const sum = amounts.map((field) => read(field?.value ?? "") ?? nothing).reduce(plus, nothing);
  const stated = read(form.elements.total.value);
  output.textContent = written(sum.units, sum.scale);
  const off = stated ? plus(stated, { units: -sum.units, scale: sum.scale }) : nothing;
  output.classList.toggle("says", off.units !== 0n);
  if (off.units !== 0n) output.textContent += `, ${written(off.units < 0n ? -off.units : off.units, off.scale)} ${off.units < 0n ? "more" : "less"} than stated`;
}

// Who bills is chosen first: the estimates of that payee are fetched, unless lines are typed already.
form.elements.payee.addEventListener("change", (event) => {
  const typed = [...form.querySelectorAll('[name^="amount-line-"]')].some((field) => field.value);
  if (!typed && event.target.value) location.assign(`${form.action}?payee=${event.target.value}`);
});
// A stated total that one choice of the proposed lines makes up, and no other, leaves the other lines out.
const most = 12;
const proposed = amounts().map((field) => field.value);
let byHand = false;

function amounts() {
  return [...form.querySelectorAll('[name^="amount-line-"]')];
}

function scaled(text, scale) {
  const one = read(text ?? "") ?? nothing;
  return one.units * 10n ** BigInt(scale - one.scale);
}

function choose() {
  const fields = amounts();
  if (byHand || !proposed.some((value) => value)) return;
  const texts = [...proposed, form.elements.total.value, form.elements.tax.value];
  const scale = Math.max(...texts.map((text) => (read(text) ?? nothing).scale));
  const rows = proposed.flatMap((value, place) => (value ? [place] : []));
  const wanted = scaled(form.elements.total.value, scale) - scaled(form.elements.tax.value, scale);
  const found = wanted > 0n && rows.length <= most ? subsets(rows.map((place) => scaled(proposed[place], scale)), wanted) : [];
  const kept = found.length === 1 ? new Set(found[0].map((index) => rows[index])) : new Set(rows);
  fields.forEach((field, place) => (field.value = kept.has(place) ? proposed[place] : ""));
  add();
}

function subsets(values, wanted) {
  const found = [];
  for (let bits = 1; bits < 2 ** values.length && found.length < 2; bits++) {
    const chosen = values.flatMap((_, index) => (bits & (1 << index) ? [index] : []));
    if (chosen.reduce((sum, index) => sum + values[index], 0n) === wanted) found.push(chosen);
  }
  return found;
}

form.addEventListener("input", (event) => {
  if (event.target.name.startsWith("amount-line-")) byHand = true;
  if (["total", "tax"].includes(event.target.name)) choose();
  add();
});
add();
