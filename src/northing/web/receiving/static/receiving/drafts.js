// What was typed and scanned stays when the page is loaded again, until it is received.
import { draftOf, forgetDraft, saveDraft } from "./store.js";

const form = document.querySelector("form[data-scan]");
// A draft is of one person: others use the phone as well.
const who = document.querySelector("#waiting")?.dataset.who ?? "";
export const keyOf = (path) => `${who} ${path}`;
const page = keyOf(location.pathname);
// Neither is a second person's password anybody's draft.
const LEFT_OUT = new Set(["csrfmiddlewaretoken", "approver", "approver_password"]);
const refused = Boolean(document.querySelector("main .stop[role=alert]"));

export const fieldsOf = (of) => [...new FormData(of)].filter(([name, value]) => !LEFT_OUT.has(name) && !(value instanceof File));

// A draft has the time at which it was kept.
const AT = " at";
const COUNTS = /^(row-|scans$|serials-)/;
const counts = (fields) => fields.some(([name, value]) => COUNTS.test(name) && String(value).trim());

async function restore() {
  if (!form || refused) return;
  const kept = (await draftOf(page)) ?? [];
  if (!counts(kept)) return;
  for (const [name, value] of kept) {
    const field = form.elements.namedItem(name);
    if (!field || field instanceof RadioNodeList || name === "key" || name === "others" || name.startsWith("rows-")) continue;
    if (name === "scans" && field.value && field.value !== value) field.value = `${value}\n${field.value}`;
    else if (field.type !== "file") field.value = value;
  }
  announce(kept.find(([name]) => name === AT)?.[1]);
}

// A count that was left behind is said, with its time; it is cleared by a touch, and is never received together with
// what nobody counted.
function announce(at) {
  const note = Object.assign(document.createElement("p"), { className: "stop restored" });
  note.setAttribute("role", "status");
  const time = new Date(at);
  const today = time.toDateString() === new Date().toDateString();
  const clock = time.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  const day = time.toLocaleDateString("en-GB", { day: "numeric", month: "short" });
  const clear = Object.assign(document.createElement("button"), { type: "button", className: "btn", textContent: "Clear it" });
  clear.addEventListener("click", async () => {
    clearTimeout(timer);
    await forgetDraft(page);
    location.reload();
  });
  note.append(at ? `Your count of ${today ? clock : `${day}, ${clock}`} is here. ` : "Your count is here. ", clear);
  form.prepend(note);
  const all = form.querySelector("button[name=all]");
  if (all) all.hidden = true;
}

let timer = 0;
// Before anything else reads the form.
export const restored = restore().catch(() => undefined);

export function draft() {
  clearTimeout(timer);
  timer = setTimeout(() => saveDraft(page, [...fieldsOf(form), [AT, Date.now()]]).catch(() => undefined), 100);
}

if (form) {
  await restored;
  form.addEventListener("input", draft);
  form.addEventListener("change", draft);
}
