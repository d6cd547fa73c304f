// Scans on a page that receives: each is said at once, stands in the list, and is taken back by one key.
import "../common/camera.js";
import "../common/wedge.js";
import { plain, plus, read } from "../common/exact.js";
import { draft, restored } from "./drafts.js";
import { sound } from "../common/sound.js";

const form = document.querySelector("form[data-scan]");
const list = document.createElement("ol");
const told = form?.querySelector(".scanned .told");
const typed = form?.querySelector("textarea.scans");
const scans = [];
const NONE = { units: 0n, scale: 0 };

function say(words, wrong) {
  told.textContent = words;
  told.classList.toggle("wrong", Boolean(wrong));
  sound(!wrong);
}

async function ask(said, times) {
  const body = new URLSearchParams(form.dataset.where);
  body.set("scan", said);
  body.set("times", times);
  const token = form.querySelector("[name=csrfmiddlewaretoken]").value;
  const answer = await fetch(form.dataset.scan, { method: "POST", body, headers: { "X-CSRFToken": token } });
  return answer.json();
}

const write = () => {
  typed.value = scans.map((one) => (one.times > 1 ? `${one.said} *${one.times}` : one.said)).join("\n");
};

function count() {
  const units = new Map();
  for (const one of scans) {
    for (const [part, quantity] of Object.entries(one.parts)) {
      units.set(part, plus(units.get(part) ?? NONE, read(quantity)));
    }
  }
  for (const cell of form.querySelectorAll("[data-part]")) {
    const scanned = units.get(cell.dataset.part);
    cell.dataset.scanned = scanned ? plain(scanned) : "";
    const shown = cell.querySelector("output") ?? cell.appendChild(document.createElement("output"));
    shown.textContent = scanned ? ` scanned ${plain(scanned)}` : "";
    cell.dispatchEvent(new Event("counted"));
  }
}

// More than is expected is said at the scan, not when the receipt is saved.
function tooMany(parts) {
  return parts.flatMap((part) => {
    const cell = form.querySelector(`[data-part="${CSS.escape(part)}"]`);
    if (!cell?.dataset.scanned || !isMore(read(cell.dataset.scanned), read(cell.dataset.expected))) return [];
    return [`${cell.dataset.scanned} scanned, ${cell.dataset.expected} expected.`];
  });
}

const isMore = (some, most) => plus(some, { units: -most.units, scale: most.scale }).units > 0n;

function draw() {
  list.replaceChildren(
    ...scans.map((one, place) => {
      const row = document.createElement("li");
      const words = document.createElement("span");
      words.textContent = one.words;
      const times = document.createElement("input");
      Object.assign(times, { value: one.times, size: 3, inputMode: "numeric", ariaLabel: "How many identical pallets" });
      times.addEventListener("change", () => again(place, times.value));
      const away = document.createElement("button");
      Object.assign(away, { type: "button", className: "btn small", textContent: "Take back" });
      away.addEventListener("click", () => takeBack(place));
      row.append(words, " ×", times, " ", away);
      return row;
    }),
  );
  write();
  count();
  draft();
}

function takeBack(place) {
  const [gone] = scans.splice(place, 1);
  if (!gone) return;
  draw();
  say(`Taken back: ${gone.words}`);
}

async function add(said, times = 1, place = scans.length) {
  try {
    const answer = await ask(said, times);
    if (answer.wrong) {
      say(`${answer.wrong} ${answer.mend ?? ""}`, true);
      if (answer.gtin) teach(answer.gtin, said, times);
      return;
    }
    scans[place] = { said, times, words: answer.words, parts: answer.parts };
    draw();
    // Something else than is ordered here sounds wrong, and so does what a person should mind.
    const minds = [answer.mind, ...tooMany(Object.keys(answer.parts))].filter(Boolean);
    const mind = minds.length ? `. ${minds.join(" ")}` : "";
    say(`${answer.words}${mind}`, mind || (answer.held && form.dataset.alone !== "1"));
  } catch {
    // The network is away: the scan is kept, and read when the receipt is saved.
    scans[place] = { said, times, words: `${said}: not read yet, no network`, parts: {} };
    draw();
    say("No network: the scan is kept and read when it is saved.", true);
  }
}

const input = (name, label, value = "") =>
  Object.assign(document.createElement("input"), { name, ariaLabel: label, placeholder: label, value, size: 12, autocomplete: "off" });

// A GTIN that nobody knows: who may says which item it is, and the scan is read again.
function teach(gtin, said, times) {
  form.querySelector(".teach")?.remove();
  const box = Object.assign(document.createElement("p"), { className: "teach" });
  const [item, units] = [input("", "item code"), input("", "units in it", "1")];
  const button = Object.assign(document.createElement("button"), { type: "button", className: "btn small", textContent: "It is this item" });
  button.addEventListener("click", async () => {
    const body = new URLSearchParams({ gtin, item: item.value, units: units.value, key: crypto.randomUUID().replaceAll("-", "") });
    const token = form.querySelector("[name=csrfmiddlewaretoken]").value;
    try {
      const answer = await (await fetch(form.dataset.teach, { method: "POST", body, headers: { "X-CSRFToken": token } })).json();
      if (answer.wrong) return say(`${answer.wrong} ${answer.mend ?? ""}`, true);
    } catch {
      return say("No network: teach it when it is back.", true);
    }
    box.remove();
    return queue(() => add(said, times));
  });
  box.append(`${gtin} is `, item, " ", units, " ", button);
  told.after(box);
  item.focus();
}

// A number of times behind a label, or alone for the one before: "*7", "x 7", "× 7", with a blank or without.
const TIMES = /^(.*?)\s*(?:[*×]|(?<=^|\s)x)\s*(\d{1,4})$/i;

function hear(said) {
  const [, label, times] = said.match(TIMES) ?? [];
  if (times === undefined) return add(said);
  if (label) return add(label, Number(times));
  if (scans.length) return again(scans.length - 1, times);
  return say(`${said}: scan a label first, then how often.`, true);
}

async function again(place, said) {
  const times = Number.parseInt(said, 10);
  if (!Number.isInteger(times) || times < 1) return draw();
  return add(scans[place].said, times, place);
}

let last = Promise.resolve();
const queue = (job) => {
  last = last.then(job);
  return last;
};

if (form) {
  await restored;
  const line = document.createElement("input");
  Object.assign(line, { type: "text", autocomplete: "off", placeholder: "Scan, or type what stands on the label", ariaLabel: "Scan" });
  line.addEventListener("keydown", (event) => {
    if (event.key !== "Enter") return;
    event.preventDefault();
    const said = line.value.trim();
    line.value = "";
    if (said) queue(() => hear(said));
  });
  typed.before(line);
  told.after(list);
  typed.hidden = true;
  const before = typed.value.split("\n").filter((one) => one.trim());
  for (const one of before) {
    const [, said, times] = one.match(TIMES) ?? [one, one, 1];
    queue(() => (said ? add(said, Number(times)) : undefined));
  }
  document.addEventListener("kept", () => {
    scans.length = 0;
    draw();
  });
  document.addEventListener("scan", (event) => queue(() => hear(event.detail)));
  document.addEventListener("keydown", (event) => {
    const writing = event.target.matches?.("input, textarea, select");
    if (event.key === "Backspace" && !writing && scans.length) {
      event.preventDefault();
      takeBack(scans.length - 1);
    }
  });
}
