// Shares by hand: what is still to give of each company's part, as one types; typing a share means by hand.
import { plus, read, written } from "../common/exact.js";

const form = document.querySelector("form[data-foresee]");
const nothing = { units: 0n, scale: 0 };

function rest() {
  for (const row of form.querySelectorAll("tr[data-rest]")) {
    const whole = read(row.dataset.whole) ?? nothing;
    const typed = [...form.querySelectorAll(`[data-share="${row.dataset.rest}"]`)];
    const given = typed.map((field) => read(field.value) ?? nothing).reduce(plus, nothing);
    const left = plus(whole, { units: -given.units, scale: given.scale });
    const output = row.querySelector("output");
    output.textContent = written(left.units, left.scale);
    output.classList.toggle("says", left.units !== 0n && form.elements.basis.value === "by_hand");
  }
}

form.addEventListener("input", (event) => {
  if (event.target.dataset.share) form.elements.basis.value = "by_hand";
  rest();
});
rest();
