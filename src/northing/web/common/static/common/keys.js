import "./enter.js";
import { alone } from "./wedge.js";

// Hands on keys: / finds, j and k move through rows, Enter opens, g then a digit goes to a place, ? helps.
const typing = (target) => target.closest("input, select, textarea, [contenteditable]");
const rows = () => [...document.querySelectorAll("main table.dense tbody tr")].filter((row) => row.querySelector("a"));
let going = false;

function move(step) {
  const all = rows();
  if (!all.length) return;
  const at = all.findIndex((row) => row.contains(document.activeElement));
  const next = all[Math.min(Math.max(at + step, 0), all.length - 1)];
  next.querySelector("a").focus();
  next.scrollIntoView({ block: "nearest" });
}

// A single letter acts on the row in hand, or on the first row that has such an act; on a record's page on the record.
function letter(key) {
  const button = `[data-letter="${CSS.escape(key)}"]`;
  const row = document.activeElement.closest("tbody tr");
  const act = (row ?? document.querySelector(`main tbody tr:has(${button})`) ?? document.querySelector("main .head"))?.querySelector(button);
  if (act) whenAlone(act);
  return act;
}

// A letter of a scan is no act: it comes with others, as fast as no person types.
async function whenAlone(act) {
  if (await alone()) act.click();
}

// After an act on a row the page comes again: the hand stays on the row that is there now.
const HELD = "row in hand";
document.addEventListener("submit", (event) => {
  const at = rows().indexOf(event.target.closest("main table.dense tbody tr"));
  if (at >= 0) sessionStorage.setItem(HELD, JSON.stringify([location.pathname, at]));
});

// A refusal leaves the hand in the field that is wrong; a form begins in its first field.
function begin() {
  const [path, at] = JSON.parse(sessionStorage.getItem(HELD) ?? "[]");
  sessionStorage.removeItem(HELD);
  if (document.activeElement !== document.body) return;
  const fields = "input:not([type=hidden], [type=checkbox], [type=radio], [type=file]), select, textarea";
  const seen = (field) => field.checkVisibility() && !field.readOnly && !field.disabled;
  const wrong = [...document.querySelectorAll('main [aria-invalid="true"]')].find(seen);
  // The page of a record has several small forms: there the hand is free. A form's page begins where it must be filled.
  const forms = [...document.querySelectorAll("main form[method=post]:not(table form, .story form, .many, .head form)")].filter(
    (form) => form.checkVisibility() && form.querySelector(fields),
  );
  const open = forms.length === 1 ? [...forms[0].querySelectorAll(fields)].filter((field) => seen(field) && !field.closest("table.book, .many")) : [];
  const first = open.find((field) => field.required && !field.value) ?? open[0];
  if (wrong) wrong.focus();
  else if (path === location.pathname) rows()[Math.min(at, rows().length - 1)]?.querySelector("a")?.focus();
  else if (!location.hash) first?.focus({ preventScroll: true });
}
begin();

function go(digit) {
  const places = document.querySelectorAll(".rail li a");
  if (places[digit - 1]) location.assign(places[digit - 1].href);
}

// Space chooses the row in hand, where its list has boxes; else it opens it.
function choose() {
  const row = document.activeElement.closest("main table.dense tbody tr");
  const box = row?.querySelector("input[type=checkbox]:not(:disabled)");
  if (box) box.click();
  else row?.querySelector("a")?.click();
  return row;
}

const acts = {
  "/": () => document.getElementById("find")?.focus(),
  "?": () => document.getElementById("keys")?.showModal(),
  j: () => move(1),
  k: () => move(-1),
  ArrowDown: () => move(1),
  ArrowUp: () => move(-1),
};

document.addEventListener("keydown", (event) => {
  if (event.key === "Escape" && typing(event.target)) event.target.blur();
  if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
  if (letter(event.key)) {
    event.preventDefault();
    return;
  }
  if (event.key === " " && document.activeElement.matches("a") && choose()) {
    event.preventDefault();
    return;
  }
  const keyed = /^[a-z]$/.test(event.key) && document.querySelector(`main [data-key="${event.key}"]`);
  if (keyed) {
    event.preventDefault();
    whenAlone(keyed);
  } else if (going && /^[1-8]$/.test(event.key)) {
    go(Number(event.key));
  } else if (acts[event.key]) {
    event.preventDefault();
    acts[event.key]();
  }
  going = event.key === "g";
});

function say(words) {
  const note = document.createElement("p");
  note.className = "note error";
  note.setAttribute("role", "alert");
  note.textContent = words;
  document.getElementById("page").prepend(note);
  note.scrollIntoView({ block: "nearest" });
}

// A form goes out once; the key inside it keeps a resent one from being done twice.
document.addEventListener("submit", (event) => {
  // The dock sends its receipts itself.
  if (event.target.method === "post" && !event.defaultPrevented) {
    if (!navigator.onLine) {
      event.preventDefault();
      say("No connection: nothing was sent, what you typed is kept. Send it again when the connection is back.");
      return;
    }
    const button = event.submitter;
    if (button?.matches("[data-again]")) return; // a file is taken: the page stays, and may be asked again
    requestAnimationFrame(() => button?.setAttribute("aria-disabled", "true"));
    if (event.target.dataset.sent) event.preventDefault();
    event.target.dataset.sent = "yes";
  }
});
addEventListener("pageshow", () => document.querySelectorAll("form[data-sent]").forEach((form) => delete form.dataset.sent));
