// What each line would cost landed, asked of the server a moment after one stops typing.
import { read, written } from "../common/exact.js";

const form = document.querySelector(".order-form");
const pause = 500;
let waiting = 0;
let asked = 0;

async function ask() {
  const mine = ++asked;
  const answer = await fetch(form.dataset.landed, { method: "POST", body: new FormData(form) }).catch(() => null);
  // Of two answers that overtake each other the later question counts.
  if (!answer?.ok || mine !== asked) return;
  show(await answer.json());
}

function show(found) {
  for (const cell of form.querySelectorAll(".landed")) {
    const line = found.lines[cell.dataset.row];
    cell.replaceChildren(line?.unit ? figure(line, found.currency) : "–");
    const why = cell.closest("tr").nextElementSibling;
    if (why?.classList.contains("why")) line?.unit ? explain(why, line) : why.remove();
  }
  const total = document.getElementById("landed-total");
  const value = read(found.total ?? "");
  total.textContent = value ? `${found.currency} ${written(value.units, value.scale)}` : "";
}

// The figure is a button that opens how it comes about in a row below.
function figure(line, currency) {
  const button = Object.assign(document.createElement("button"), { type: "button", className: "plain" });
  button.textContent = line.was && line.was !== line.unit ? `${line.was} → ${line.unit}` : line.unit;
  button.title = `${currency} for one unit at our dock: how it comes about`;
  button.addEventListener("click", () => toggle(button.closest("tr"), line));
  return button;
}

function toggle(row, line) {
  if (row.nextElementSibling?.classList.contains("why")) {
    row.nextElementSibling.remove();
    return;
  }
  const why = Object.assign(document.createElement("tr"), { className: "why" });
  why.append(Object.assign(document.createElement("td"), { colSpan: row.cells.length }));
  row.after(why);
  explain(why, line);
}

function explain(row, line) {
  row.cells[0].textContent = `Landed: ${line.why.join(" · ")}`;
}

function soon() {
  clearTimeout(waiting);
  waiting = setTimeout(ask, pause);
}

form.addEventListener("input", soon);
form.addEventListener("change", soon);
soon();
