// The loading surface: what is typed or dragged is counted at once, the rest of each line, the fill of each container.
import { read, written } from "../common/exact.js";
import { sizes, fits } from "./fits.js";

const form = document.getElementById("load");
const table = document.getElementById("surface");
const facts = JSON.parse(document.getElementById("facts").textContent);
const said = document.getElementById("said");

const rows = () => [...table.tBodies[0].rows].filter((row) => row.dataset.part);
const boxes = () => [...table.tHead.rows[0].querySelectorAll("th.box")];
const cellOf = (row, box) => row.querySelector(`td.stow[data-box="${box.dataset.box}"]`);
const inputOf = (row, box) => cellOf(row, box).querySelector("input");
const typeOf = (box) => box.querySelector("select");

// Quantities are counted in millionths of a unit, as the database keeps them.
const MILLION = 6;
const whole = (text) => {
  const value = read(text || "0");
  return value && value.scale <= MILLION ? value.units * 10n ** BigInt(MILLION - value.scale) : null;
};
const shown = (units) => written(units, MILLION).replace(/\.?0+$/, "");
const number = (units) => Number(units) / 10 ** MILLION;

function left(row) {
  const cells = [...row.querySelectorAll("td.stow input")];
  return cells.reduce(
    (rest, input) => rest - (whole(input.value) ?? 0n) + (whole(input.dataset.held) ?? 0n),
    whole(row.dataset.rest),
  );
}

function limits(box) {
  const type = facts.types[typeOf(box).value] ?? [Infinity, Infinity];
  const own = box.dataset.mostVolume && typeOf(box).value === box.dataset.was;
  return own ? [Number(box.dataset.mostVolume), Number(box.dataset.mostWeight)] : type;
}

function held(box) {
  let volume = Number(box.dataset.unseenVolume || 0);
  let weight = Number(box.dataset.unseenWeight || 0);
  for (const row of rows()) {
    const units = number(whole(inputOf(row, box).value) ?? 0n);
    volume += units * Number(row.dataset.volume);
    weight += units * Number(row.dataset.weight);
  }
  return [volume, weight];
}

function draw() {
  for (const row of rows()) {
    const rest = left(row);
    const figure = row.querySelector("[data-left]");
    figure.textContent = shown(rest);
    figure.closest("td").classList.toggle("broken", rest < 0n);
    row.classList.toggle("done", rest === 0n);
    for (const input of row.querySelectorAll("td.stow input")) {
      input.closest("td").classList.toggle("filled", Boolean(whole(input.value)));
      input.setAttribute("aria-invalid", whole(input.value) === null);
    }
  }
  for (const box of boxes()) sizes(box, held(box), limits(box));
}

// All of the line's rest that the container has room for, in whole packs unless everything fits.
function putAll(row, box) {
  const rest = left(row);
  if (rest <= 0n) return 0n;
  const [volume, weight] = held(box);
  const [mostVolume, mostWeight] = limits(box);
  const room = fits(row.dataset, number(rest), mostVolume - volume, mostWeight - weight);
  const put = room === null ? rest : BigInt(Math.round(room * 10 ** MILLION));
  if (put > 0n) {
    const input = inputOf(row, box);
    input.value = shown((whole(input.value) ?? 0n) + put).replace(/,/g, "");
    draw();
  }
  return put;
}

function move(from, to) {
  const [source, target] = [from.querySelector("input"), to.querySelector("input")];
  if (source === target || from.parentElement !== to.parentElement) return;
  target.value = shown((whole(target.value) ?? 0n) + (whole(source.value) ?? 0n)).replace(/,/g, "");
  source.value = "";
  draw();
}

export function addBox(type = "45G1") {
  const place = boxes().length;
  const made = (id) => document.getElementById(id).innerHTML.replaceAll("__place__", place);
  const holder = document.createElement("template");
  holder.innerHTML = `<table><thead><tr>${made("empty-box")}</tr></thead></table>`;
  table.tHead.rows[0].querySelector("th.more").before(holder.content.querySelector("th"));
  for (const row of rows()) {
    const name = row.querySelector("th a").textContent;
    const html = made("empty-cell").replaceAll("__part__", row.dataset.part).replaceAll("__line__", name);
    holder.innerHTML = `<table><tbody><tr>${html}</tr></tbody></table>`;
    row.querySelector("td.more").before(holder.content.querySelector("td"));
  }
  const box = boxes()[place];
  typeOf(box).value = type;
  draw();
  return box;
}

function empty(box) {
  for (const row of rows()) inputOf(row, box).value = "";
  draw();
}

function remove(box) {
  empty(box);
  box.querySelector('[name$="-gone"]').value = "1";
  for (const one of [box, ...rows().map((row) => cellOf(row, box))]) one.hidden = true;
}

async function propose() {
  const wanted = Object.fromEntries(
    rows().map((row) => [row.dataset.part, left(row)]).filter(([, rest]) => rest > 0n).map(([key, rest]) => [key, shown(rest).replace(/,/g, "")]),
  );
  if (!Object.keys(wanted).length) return (said.textContent = "Everything that is here is packed already.");
  const headers = { "X-CSRFToken": form.elements.csrfmiddlewaretoken.value };
  const answer = await fetch("/shipping/load/propose/", { method: "POST", headers, body: JSON.stringify({ rows: wanted }) }).catch(() => null);
  const found = answer ? await answer.json().catch(() => ({ says: "It could not be worked out." })) : { says: "No connection: what you typed is kept, try again." };
  if (!found.boxes) return (said.textContent = found.says);
  for (const one of found.boxes) {
    const unused = boxes().find((box) => !box.hidden && !box.querySelector('[name$="-number"]').value && !held(box)[0]);
    const box = unused ?? addBox(one.type);
    typeOf(box).value = one.type;
    for (const [key, quantity] of one.rows) inputOf(rows().find((row) => row.dataset.part === String(key)), box).value = quantity;
  }
  draw();
  said.textContent = `${found.boxes.length} container${found.boxes.length === 1 ? "" : "s"} proposed; change what you like, and give them their numbers.`;
  boxes().find((box) => !box.hidden && !box.querySelector('[name$="-number"]').value)?.querySelector('[name$="-number"]').focus();
}

// A route asks for a voyage on each of its sea legs; only those that sail it are offered.
function routes() {
  const legs = facts.routes[form.elements.route.value] ?? [];
  for (const [place, name] of ["voyage", "then"].entries()) {
    const select = form.elements[name];
    select.closest(".field").hidden = place >= Math.max(legs.length, place === 0 ? 1 : 0);
    for (const option of [...select.options].slice(1)) {
      const calls = facts.sailings[option.value] ?? [];
      const at = (port) => calls.findIndex((call) => call[0] === port);
      const sails = !legs[place] || (at(legs[place][0]) >= 0 && at(legs[place][0]) < at(legs[place][1]));
      option.hidden = option.disabled = !sails;
      if (!sails && option.selected) select.value = "";
    }
  }
  form.elements.begin.closest(".field").hidden = Boolean(form.elements.voyage.value);
}

function keys(event) {
  const input = event.target.closest("td.stow input");
  if (!input || event.ctrlKey || event.metaKey || event.altKey) return;
  const row = input.closest("tr");
  const box = boxes().find((one) => one.dataset.box === input.closest("td").dataset.box);
  const step = { ArrowDown: 1, Enter: 1, ArrowUp: -1 }[event.key];
  if (event.key === "=") {
    event.preventDefault();
    said.textContent = putAll(row, box) ? "" : "Nothing more of this line fits in.";
  } else if (step) {
    event.preventDefault();
    const next = rows()[rows().indexOf(row) + step];
    if (next) inputOf(next, box).select();
  }
}

// Dragging: a line's rest onto a container puts in what fits; a quantity onto another container moves it.
let dragged = null;
table.addEventListener("dragstart", (event) => {
  dragged = event.target.closest("td");
  event.dataTransfer.setData("text/plain", dragged.textContent.trim());
});
table.addEventListener("dragover", (event) => {
  if (dragged && event.target.closest("[data-box]")) event.preventDefault();
});
table.addEventListener("drop", (event) => {
  const target = event.target.closest("[data-box]");
  if (!dragged || !target) return;
  event.preventDefault();
  const row = dragged.parentElement;
  const box = boxes().find((one) => one.dataset.box === target.dataset.box);
  if (dragged.classList.contains("rest")) said.textContent = putAll(row, box) ? "" : "Nothing more of this line fits in.";
  else move(dragged, cellOf(row, box));
  dragged = null;
});

table.addEventListener("input", draw);
table.addEventListener("keydown", keys);
table.addEventListener("click", (event) => {
  const box = event.target.closest("th.box");
  if (event.target.matches("[data-all]")) for (const row of rows()) putAll(row, box);
  if (event.target.matches("[data-out]")) empty(box);
  if (event.target.matches("[data-gone]")) remove(box);
});
document.getElementById("add-box").addEventListener("click", () => addBox().querySelector('[name$="-number"]').focus());
document.getElementById("propose").addEventListener("click", propose);
for (const name of ["route", "voyage"]) form.elements[name].addEventListener("change", routes);
// What is as it was need not be sent.
form.addEventListener("submit", () => {
  for (const input of table.querySelectorAll("td.stow input")) {
    input.disabled = (whole(input.value) ?? -1n) === (whole(input.dataset.held) ?? 0n);
  }
});
addEventListener("pageshow", () => table.querySelectorAll("td.stow input").forEach((input) => (input.disabled = false)));
for (const box of boxes()) box.dataset.was = typeOf(box).value;
if (!boxes().length) addBox();
for (const box of boxes()) if (box.querySelector('[name$="-gone"]').value) remove(box);
routes();
draw();
