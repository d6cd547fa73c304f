// What was typed and scanned stays when the page is loaded again, until it is received.
import { draftOf, saveDraft } from "./store.js";

const form = document.querySelector("form[data-scan]");
// A draft is of one person: others use the phone as well.
const who = document.querySelector("#waiting")?.dataset.who ?? "";
export const keyOf = (path) => `${who} ${path}`;
const page = keyOf(location.pathname);
// Neither is a second person's password anybody's draft.
const LEFT_OUT = new Set(["csrfmiddlewaretoken", "approver", "approver_password"]);
const refused = Boolean(document.querySelector("main .stop[role=alert]"));

export const fieldsOf = (of) => [...new FormData(of)].filter(([name, value]) => !LEFT_OUT.has(name) && !(value instanceof File));

async function restore() {
  if (!form || refused) return;
  for (const [name, value] of (await draftOf(page)) ?? []) {
    const field = form.elements.namedItem(name);
    if (!field || field instanceof RadioNodeList || name === "others" || name.startsWith("rows-")) continue;
    if (name === "scans" && field.value && field.value !== value) field.value = `${value}\n${field.value}`;
    else if (field.type !== "file") field.value = value;
  }
}

// Before anything else reads the form.
export const restored = restore().catch(() => undefined);

let timer = 0;
export function draft() {
  clearTimeout(timer);
  timer = setTimeout(() => saveDraft(page, fieldsOf(form)).catch(() => undefined), 100);
}

if (form) {
  await restored;
  form.addEventListener("input", draft);
  form.addEventListener("change", draft);
}
