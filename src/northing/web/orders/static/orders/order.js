// The order form: looks items up, fills in the agreed price, totals while one types.
import "./items.js";
import "./landed.js";
import { read, roundTo, times, written } from "../common/exact.js";

const form = document.querySelector(".order-form");
const body = document.getElementById("lines");
const supplier = form.elements.supplier;
let money = { currency: "", decimals: 2 };

const rows = () => [...body.querySelectorAll("tr.entry-line")];
const cell = (row, name) => row.querySelector(`[name$="-${name}"]`);

async function look(row) {
  const item = cell(row, "item").value.trim();
  if (!item) return;
  const query = new URLSearchParams({ item, supplier: supplier.value, ...typed(row) });
  const answer = await fetch(`/orders/quote/?${query}`).catch(() => null);
  const found = answer ? await answer.json() : { says: "No connection: what you type is kept, try again." };
  const about = row.querySelector(".about");
  // What the server said of this row on the last try stands until the row changes.
  about.textContent = found.description ?? (row.querySelector(".wrong") ? "" : found.says);
  about.classList.toggle("says", !found.description);
  if (!found.description) return;
  row.dataset.packs = JSON.stringify(found.packs);
  row.dataset.price = found.price;
  row.dataset.soonest = found.soonest;
  soonest();
  if (found.currency) money = { currency: found.currency, decimals: found.decimals };
  if (!cell(row, "pack").value) cell(row, "pack").value = found.unit;
  offer(cell(row, "pack"), Object.keys(found.packs));
  price(row);
  warn(row, found.warns);
}

// What is typed so far decides the price step and what does not fit the agreement.
function typed(row) {
  const said = Object.fromEntries(["packs", "pack", "need_by"].map((name) => [name, cell(row, name).value]));
  if (cell(row, "pack_price").dataset.typed) said.pack_price = cell(row, "pack_price").value;
  if (!said.need_by && form.elements.need_by) said.need_by = form.elements.need_by.value;
  return said;
}

// An order without a need-by date is needed as soon as all of it can be here.
function soonest() {
  const says = document.getElementById("id_need_by-says");
  const days = rows().map((row) => row.dataset.soonest ?? "").filter((day) => day).sort();
  if (!says || !days.length || says.closest(".wrong")) return;
  says.classList.add("hint");
  says.textContent = form.elements.need_by.value ? "" : `left empty: ${shown(days.at(-1))}, the first day all can be here`;
}

function shown(day) {
  return new Date(`${day}T12:00:00Z`).toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric" });
}

function warn(row, words) {
  row.querySelectorAll(".about ~ .warn").forEach((old) => old.remove());
  for (const text of words) {
    const said = Object.assign(document.createElement("span"), { className: "says warn", textContent: text });
    row.querySelector(".about").parentElement.append(said);
  }
}

// The item's own packs are offered beside the field; what else is typed is refused by the server, with the list.
function offer(input, names) {
  const id = `${input.id}-packs`;
  let list = document.getElementById(id);
  if (!list) {
    list = Object.assign(document.createElement("datalist"), { id });
    input.after(list);
  }
  list.replaceChildren(...names.map((value) => Object.assign(document.createElement("option"), { value })));
  input.setAttribute("list", id);
}

function price(row) {
  const packs = JSON.parse(row.dataset.packs ?? "{}");
  const factor = read(packs[cell(row, "pack").value] ?? "1");
  const agreed = read(row.dataset.price ?? "");
  if (agreed && factor && !cell(row, "pack_price").dataset.typed) {
    const value = times(agreed, factor);
    cell(row, "pack_price").value = written(value.units, value.scale).replace(/,/g, "");
  }
  total();
}

// What is typed in a field of per cent, as a part of 1 that is added to (or taken off) the whole.
function part(input, sign) {
  const said = read((input?.value || input?.placeholder || "0").replace("%", "")) ?? { units: 0n, scale: 0 };
  return { units: 100n * 10n ** BigInt(said.scale) + sign * said.units, scale: said.scale + 2 };
}

function amount(row, ...parts) {
  const quantity = read(cell(row, "packs").value);
  const unit = read(cell(row, "pack_price").value);
  if (!quantity || !unit) return null;
  return roundTo(times(quantity, unit, part(cell(row, "discount"), -1n), ...parts), money.decimals);
}

function total() {
  for (const row of rows()) {
    const found = amount(row);
    row.querySelector(".amount").textContent = found === null ? "–" : written(found, money.decimals);
  }
  const sum = (...parts) => rows().reduce((whole, row) => whole + (amount(row, ...parts) ?? 0n), 0n);
  const goods = sum();
  document.getElementById("total").textContent = written(goods, money.decimals);
  document.getElementById("total-currency").textContent = money.currency;
  if (document.getElementById("to-pay")) whole(sum, goods);
}

// As the core does it: every line rounded by itself, the percentages of the order are the difference they make.
function whole(sum, goods) {
  const fields = form.elements;
  const less = part(fields.discount, -1n);
  const reduced = sum(less);
  const net = sum(less, part(fields.surcharge, 1n));
  const taxed = times({ units: net, scale: money.decimals }, part(fields.tax_rate, 1n));
  const gross = roundTo(taxed, money.decimals);
  const sums = { discount: reduced - goods, surcharge: net - reduced, tax_rate: gross - net };
  for (const [name, value] of Object.entries(sums)) {
    document.getElementById(`sum-${name}`).textContent = written(value, money.decimals);
  }
  document.getElementById("to-pay").textContent = `${money.currency} ${written(gross, money.decimals)}`;
}

// What is kept for the supplier and the site stands in the empty fields.
async function usual() {
  if (!document.getElementById("to-pay")) return;
  const query = new URLSearchParams({ supplier: supplier.value, site: form.elements.site.value });
  const answer = await fetch(`/orders/usual/?${query}`).catch(() => null);
  if (!answer?.ok) return;
  const kept = await answer.json();
  for (const [name, value] of Object.entries(kept)) {
    const field = form.elements[name];
    if (field?.matches("select")) keptChoice(field, String(value ?? ""));
    else if (field) field.placeholder = value ?? "";
  }
  const said = document.getElementById("terms-kept");
  if (said) said.textContent = `${[kept.incoterm, kept.incoterm_place].filter(Boolean).join(" ")}, by ${kept.mode}, unless said otherwise here`;
  total();
}

// An empty choice says what it stands for; company and site follow each other.
function keptChoice(field, value) {
  if (field.name === "company") {
    if (value) field.value = value;
    return;
  }
  const words = [...field.options].find((option) => option.value === value)?.text;
  if (words && field.options[0].value === "") field.options[0].text = `${words}, as kept`;
}

function add() {
  const count = form.querySelector('[name="lines-TOTAL_FORMS"]');
  const html = document.getElementById("empty-line").innerHTML.replaceAll("__prefix__", count.value);
  body.insertAdjacentHTML("beforeend", html);
  count.value = Number(count.value) + 1;
  cell(body.lastElementChild, "item").focus();
}

body.addEventListener("change", (event) => {
  const row = event.target.closest("tr");
  if (!event.target.name.endsWith("-discount")) look(row);
});
body.addEventListener("input", (event) => {
  if (event.target.name.endsWith("-pack_price")) event.target.dataset.typed = event.target.value ? "yes" : "";
  total();
});
form.elements.company?.addEventListener("change", (event) => {
  const site = form.elements.site;
  const code = event.target.selectedOptions[0]?.text.match(/\(\w+\)$/)?.[0];
  const own = [...site.options].filter((option) => code && option.text.endsWith(code));
  if (own.length && !own.some((option) => option.selected)) site.value = own.length === 1 ? own[0].value : "";
});
supplier.addEventListener("change", () => rows().forEach(look));
for (const input of [supplier, form.elements.site]) input?.addEventListener("change", usual);
for (const name of ["discount", "surcharge", "tax_rate"]) form.elements[name]?.addEventListener("input", total);
form.elements.incoterm.addEventListener("change", async (event) => {
  if (!event.target.value) return;
  const answer = await fetch(`/orders/incoterm/?incoterm=${event.target.value}`).catch(() => null);
  if (answer?.ok && form.elements.ours_from) form.elements.ours_from.value = (await answer.json()).ours_from;
});
document.getElementById("more-lines").addEventListener("click", add);
rows().forEach(look);
usual();
