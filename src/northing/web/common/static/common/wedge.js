// A scanner types fast: a burst of keys is a scan, slow keys are a person. Heard at any moment, wherever the cursor is;
// what the burst had typed into a field is taken out of it again. Says `scan` to the document.
import "./camera.js";

const FAST = 50; // ms between the first keys of a scanner; a person needs longer
const QUIET = 200; // ms after which a burst is over; a busy machine hears some of it late
const LEAST = 4; // fewer signs are no scan, but where Enter follows as fast as a scanner sends it
const SHORT = 2; // the code of a bin
const MOSTLY = 0.6; // as many of its signs come fast
const GROUP = "\x1d"; // FNC1, sent as Ctrl and ] or as the sign itself

let burst = null;
let timer = 0;

const field = (node) => node instanceof HTMLInputElement || node instanceof HTMLTextAreaElement;

function begin(event, sign) {
  const target = field(event.target) ? event.target : null;
  burst = { said: sign, at: event.timeStamp, target, before: target?.value, place: target?.selectionStart, fast: 0 };
}

const isScan = ({ said, fast }) => fast >= LEAST - 1 && fast >= (said.length - 1) * MOSTLY;

const isShort = ({ said, fast, at }, now) => said.length >= SHORT && fast === said.length - 1 && now - at <= FAST;

function end(short = false) {
  const { said, target, before, place, fast } = burst ?? {};
  burst = null;
  clearTimeout(timer);
  if (!said || !(short || isScan({ said, fast }))) return false;
  if (target) {
    target.value = before;
    if (place != null && target.type !== "date") target.setSelectionRange?.(place, place);
  }
  document.dispatchEvent(new CustomEvent("scan", { detail: said }));
  return true;
}

const signOf = (event) => {
  if (event.ctrlKey && event.key === "]") return GROUP;
  if (event.ctrlKey || event.altKey || event.metaKey) return "";
  return event.key === GROUP || event.key.length === 1 ? event.key : "";
};

document.addEventListener(
  "keydown",
  (event) => {
    if (event.target instanceof HTMLTextAreaElement && event.target.matches(".scans")) return;
    if (event.key === "Enter") {
      if (burst && event.timeStamp - burst.at <= QUIET && end(isShort(burst, event.timeStamp))) {
        event.preventDefault();
        event.stopPropagation();
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
    // By now it is no person: nothing more of it goes into a field.
    if (isScan(burst)) event.preventDefault();
    clearTimeout(timer);
    timer = setTimeout(() => end(), QUIET);
  },
  true,
);

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
