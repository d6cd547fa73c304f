// A scanner types fast: a burst of keys is a scan, slow keys are a person. Heard at any moment, wherever the cursor is.
// Where the page takes scans (data-hears-scans), what the burst had typed into a field is taken out of it again, and the
// document says `scan`. Elsewhere the Enter or the Tab that ends a burst does nothing, the field is as it was before, and
// the page says so: a scan is never the text of a field that did not ask for one (data-takes-scans), nor an act.

const FAST = 50; // ms between the first keys of a scanner; a person needs longer
const QUIET = 200; // ms after which a burst is over; a busy machine hears some of it late
const LEAST = 4; // fewer signs are no scan, but where Enter follows as fast as a scanner sends it
const SHORT = 2; // the code of a bin
const MOSTLY = 0.6; // as many of its signs come fast
const GROUP = "\x1d"; // FNC1, sent as Ctrl and ] or as the sign itself

let burst = null;
let timer = 0;

const field = (node) => node instanceof HTMLInputElement || node instanceof HTMLTextAreaElement;
const hears = () => document.querySelector("[data-hears-scans]");
const takes = (node) =>
  node instanceof Element &&
  (node.matches("[data-takes-scans], .scans") || node.closest("form[data-enter]") || (!hears() && node.matches("[type=search]")));

function begin(event, sign) {
  const target = field(event.target) ? event.target : null;
  burst = { said: sign, at: event.timeStamp, target, before: target?.value, place: target?.selectionStart, fast: 0 };
}

const isScan = ({ said, fast }) => fast >= LEAST - 1 && fast >= (said.length - 1) * MOSTLY;

const isShort = ({ said, fast, at }, now) => said.length >= SHORT && fast === said.length - 1 && now - at <= FAST;

function takeOut({ target, before, place }) {
  if (!target) return;
  target.value = before;
  if (place != null && target.type !== "date") target.setSelectionRange?.(place, place);
  target.dispatchEvent(new Event("input", { bubbles: true }));
}

function end(short = false) {
  const ended = burst;
  burst = null;
  clearTimeout(timer);
  if (!ended || !(short || isScan(ended))) return false;
  // Without Enter a page that takes no scan leaves what was typed: it may have been a person after all.
  if (!hears()) return false;
  takeOut(ended);
  document.dispatchEvent(new CustomEvent("scan", { detail: ended.said }));
  return true;
}

// The burst that was ended by Enter or Tab on a page that takes no scan.
function refuse() {
  const ended = burst;
  burst = null;
  clearTimeout(timer);
  takeOut(ended);
  const note = document.createElement("p");
  note.className = "note error";
  note.setAttribute("role", "alert");
  note.dataset.stray = "1";
  const find = document.createElement("a");
  const shown = ended.said.length > 40 ? `${ended.said.slice(0, 40)}…` : ended.said;
  find.href = `/reports/find/?q=${encodeURIComponent(ended.said.replaceAll(GROUP, ""))}`;
  find.textContent = "Find it";
  note.append(`The scan ${shown} was not entered: no field here takes scans. Nothing was changed. `, find);
  document.querySelectorAll("[data-stray]").forEach((one) => one.remove());
  (document.getElementById("page") ?? document.body).prepend(note);
  note.scrollIntoView({ block: "nearest" });
}

const signOf = (event) => {
  if (event.ctrlKey && event.key === "]") return GROUP;
  if (event.ctrlKey || event.altKey || event.metaKey) return "";
  return event.key === GROUP || event.key.length === 1 ? event.key : "";
};

function stop(event) {
  event.preventDefault();
  event.stopPropagation();
}

document.addEventListener(
  "keydown",
  (event) => {
    if (takes(event.target)) return;
    if (event.key === "Enter" || (event.key === "Tab" && !hears())) {
      const lately = burst && event.timeStamp - burst.at <= QUIET;
      const scanned = lately && (isScan(burst) || (hears() && isShort(burst, event.timeStamp)));
      if (scanned && hears()) {
        if (end(true)) stop(event);
      } else if (scanned) {
        stop(event);
        refuse();
      }
      burst = null;
      return;
    }
    const sign = signOf(event);
    if (!sign) return;
    const passed = burst ? event.timeStamp - burst.at : QUIET;
    if (passed >= QUIET) {
      begin(event, sign);
      return;
    }
    burst.said += sign;
    burst.fast += passed <= FAST ? 1 : 0;
    burst.at = event.timeStamp;
    // By now it is no person: nothing more of it goes into a field, and no letter of it acts.
    if (isScan(burst)) {
      if (hears() || !burst.target) event.preventDefault();
    }
    clearTimeout(timer);
    timer = setTimeout(() => end(), QUIET);
  },
  true,
);

// Whether the key that was pressed just now is followed by another as fast as a scanner sends it: a single letter acts
// only when it stood alone for a moment.
export const alone = () =>
  new Promise((resolve) => {
    const mine = burst;
    const said = burst?.said ?? "";
    setTimeout(() => resolve(!burst || (burst === mine && burst.said === said)), FAST + 20);
  });

document.documentElement.dataset.hears = "1";

// The demo's stand-in for a scanner speaks from another window; what it says is typed here, key by key.
const air = globalThis.BroadcastChannel ? new BroadcastChannel("scanner") : null;

function type(said) {
  const at = document.activeElement ?? document.body;
  const press = (key) => at.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true }));
  for (const sign of said) press(sign);
  press("Enter");
}

if (air) air.onmessage = (event) => type(String(event.data));
