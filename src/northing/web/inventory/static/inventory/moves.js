// Goods into bins by scan: the label of goods marks their rows, the label of a bin sends the marked ones there.
// A page on which nobody works is fetched anew, so that the queue is that of now.
import "../common/camera.js";
import "../common/wedge.js";
import { sound } from "../common/sound.js";

const EVERY = 20_000;
// The page as it is now: the list is fetched anew.
const form = () => document.querySelector("form.moves");
const told = () => document.querySelector("[data-moves]");
let marked = [];
let touched = false;

function say(words, wrong) {
  told().textContent = words;
  told().classList.toggle("wrong", Boolean(wrong));
  sound(!wrong);
}

const all = () => [...(form()?.querySelectorAll("tr[data-row]") ?? [])];
const rowsOf = (keys) => all().filter((row) => keys.includes(Number(row.dataset.row)));

function mark(rows) {
  for (const row of all()) row.classList.remove("marked");
  marked = rows;
  for (const row of rows) row.classList.add("marked");
  rows[0]?.scrollIntoView({ block: "center" });
}

const field = (row, name) => row.querySelector(`[name^="${name}-"]`);

// Rows of other goods stay: their bins are taken out before the form is sent. Where the bin is proposed for some of the
// marked rows, those go there; else all of them do.
function send(code) {
  const meant = marked.filter((row) => field(row, "target").value.toUpperCase() === code.toUpperCase());
  const going = meant.length ? meant : marked;
  for (const row of all()) field(row, "target").value = going.includes(row) ? code : "";
  form().requestSubmit(form().querySelector(".acts .main"));
}

async function hear(said) {
  let answer;
  try {
    answer = await (await fetch(`${told().dataset.moves}&scan=${encodeURIComponent(said)}`)).json();
  } catch {
    say("No network: scan again when it is back.", true);
    return;
  }
  if (answer.wrong) return say(`${answer.wrong} ${answer.mend}`, true);
  if (answer.bin) {
    if (marked.length) return send(answer.bin);
    location.assign(answer.at);
    return;
  }
  const rows = rowsOf(answer.rows);
  if (!rows.length) return say(`${answer.words} does not stand in this list.`, true);
  mark(rows);
  const more = rows.length > 1 ? `, ${rows.length} rows` : "";
  say(`${answer.words}${more}: scan the bin it goes into${field(rows[0], "target").value ? `, or ${field(rows[0], "target").value} as proposed` : ""}.`);
}

async function renew() {
  if (touched || marked.length || document.hidden) return;
  try {
    const page = new DOMParser().parseFromString(await (await fetch(location.href)).text(), "text/html");
    const main = page.querySelector("main");
    // A page of one's own: anything else (signed out, an error) is left to the next touch.
    if (!touched && main?.querySelector("[data-moves]")) document.querySelector("main").replaceWith(main);
  } catch {
    // The network is away: the list stays as it was.
  }
}

document.addEventListener("scan", (event) => told() && hear(event.detail));
document.addEventListener("input", () => (touched = true));
if (told()) setInterval(renew, EVERY);
