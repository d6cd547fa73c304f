// Counting at the dock: what differs from what was expected asks at once what becomes of it.
import { plus, read } from "../common/exact.js";

const NONE = { units: 0n, scale: 0 };
const SHORT = ["still", "not_there", "no_more", "dispute"];

// What was counted by hand in all rows of a part, and what was scanned of it; null where nothing was.
function counted(cell) {
  const key = cell.dataset.part;
  const inputs = [...document.querySelectorAll(`input[name^="row-${key}"]`)];
  const own = inputs.filter((input) => input.name === `row-${key}` || input.name.startsWith(`row-${key}-`));
  const values = own.map((input) => read(input.value)).filter(Boolean);
  if (cell.dataset.scanned) values.push(read(cell.dataset.scanned));
  return values.length ? values.reduce(plus, NONE) : null;
}

function compared(cell) {
  const found = counted(cell);
  if (!found) return 0;
  const { units } = plus(found, negated(read(cell.dataset.expected)));
  return units < 0n ? -1 : units > 0n ? 1 : 0;
}

const negated = (value) => ({ units: -value.units, scale: value.scale });

function ask(cell) {
  const row = cell.closest("tr");
  const says = row.querySelector('select[name^="short-"]');
  const differs = compared(cell);
  const fits = (name) => !name || (differs < 0 ? SHORT.includes(name) : name === "hold");
  for (const option of says.options) option.hidden = !fits(option.value);
  says.disabled = !differs;
  if (!differs || !fits(says.value)) says.value = "";
  row.classList.toggle("asks", differs < 0 && !says.value);
  tellMore(cell, differs > 0);
}

// More than expected is said while it is typed, in the row.
function tellMore(cell, more) {
  const told = cell.querySelector(".too-many") ?? cell.appendChild(Object.assign(document.createElement("span"), { className: "too-many says warn" }));
  told.textContent = more ? `${cell.dataset.expected} expected` : "";
}

// The part of a field: `row-i12-2` is of i12.
const cellOf = (name) => document.querySelector(`[data-part="${name.split("-")[1]}"]`);

for (const cell of document.querySelectorAll("[data-part]")) {
  cell.addEventListener("counted", () => ask(cell));
  ask(cell);
}
document.querySelector("table.entry")?.addEventListener("input", (event) => {
  const cell = cellOf(event.target.name ?? "");
  if (cell) ask(cell);
});

// Once something is counted, the button for all says that the rest is as expected.
const every = document.querySelector("form[data-scan] button[name=all]");
const EVERY = every?.textContent;
function nameAll() {
  const some = [...document.querySelectorAll("[data-part]")].some((cell) => counted(cell));
  if (every) every.textContent = some ? "Receive this, the rest as expected" : EVERY;
}
document.addEventListener("counted", nameAll, true);
document.querySelector("form[data-scan]")?.addEventListener("input", nameAll);
nameAll();
