// Shares by hand: what is still to give of each company's part, as one types; typing a share means by hand.
// The only share that nobody has typed yet takes what is left.
import { plus, read, written } from "../common/exact.js";

const form = document.querySelector("form[data-foresee]");
const nothing = { units: 0n, scale: 0 };
const minus = (value) => ({ units: -value.units, scale: value.scale });
const sum = (fields) => fields.map((field) => read(field.value) ?? nothing).reduce(plus, nothing);

function companies() {
  return [...form.querySelectorAll("tr[data-rest]")].map((row) => ({
    row,
    whole: read(row.dataset.whole) ?? nothing,
    fields: [...form.querySelectorAll(`[data-share="${row.dataset.rest}"]`)],
  }));
}

function takeTheRest() {
  for (const { whole, fields } of companies()) {
    const untouched = fields.filter((field) => !field.dataset.touched);
    if (untouched.length !== 1 || fields.length === 1) continue;
    const left = plus(whole, minus(sum(fields.filter((field) => field.dataset.touched))));
    // Where too much is given already nothing is left: it is said below.
    const more = left.units === 0n || left.units > 0n === whole.units > 0n;
    untouched[0].value = more ? written(left.units, left.scale) : "0";
  }
}

function rest() {
  for (const { row, whole, fields } of companies()) {
    const left = plus(whole, minus(sum(fields)));
    const output = row.querySelector("output");
    output.textContent = written(left.units, left.scale);
    output.classList.toggle("says", left.units !== 0n && form.elements.basis.value === "by_hand");
  }
}

form.addEventListener("input", (event) => {
  if (event.target.dataset.share) {
    form.elements.basis.value = "by_hand";
    event.target.dataset.touched = "yes";
    takeTheRest();
  }
  rest();
});
rest();
