// Receipts that wait on this phone: kept where the network is away, sent in order when it comes back, each once.
import { fieldsOf, keyOf } from "./drafts.js";
import { forgetPictures, pictures } from "./pictures.js";
import { forget, forgetDraft, saveDraft, wait, waiting } from "./store.js";

const SAVES = new Set(["", "all", "print", "accept"]);
const EVERY = 15_000;
const place = document.querySelector("#waiting");
const form = document.querySelector("form[data-scan]");
const who = place?.dataset.who;

function tell(words, link) {
  place.replaceChildren(words);
  place.hidden = !words;
  if (!link) return;
  const open = document.createElement("a");
  Object.assign(open, { href: link, className: "btn small", textContent: "Open it" });
  place.append(" ", open);
}

async function show(more = "", link = "") {
  const all = await waiting(who);
  const count = all.length ? `${all.length} receipt${all.length > 1 ? "s wait" : " waits"} on this phone for the network. ` : "";
  tell(count + more, link);
}

// The token of the page as it is now: one may have signed in again since.
async function tokenOf(url) {
  const answer = await fetch(url, { headers: { Accept: "text/html" } });
  const html = await answer.text();
  return /name="csrfmiddlewaretoken" value="([^"]+)"/.exec(html)?.[1] ?? "";
}

async function post(receipt, token) {
  const body = new FormData();
  for (const [name, value] of receipt.fields) body.append(name, value);
  for (const picture of receipt.pictures ?? []) body.append("pictures", picture, picture.name);
  body.set("csrfmiddlewaretoken", token);
  const headers = { "X-CSRFToken": token, Accept: "application/json" };
  return fetch(receipt.url, { method: "POST", body, headers });
}

// The address of the receipt that was made; empty where none was.
async function receivedAs(answer) {
  const json = (answer.headers.get("Content-Type") ?? "").startsWith("application/json");
  return answer.ok && json ? (await answer.json()).url : "";
}

async function sendOne(receipt) {
  const answer = await post(receipt, await tokenOf(receipt.url));
  if (await receivedAs(answer)) {
    await forget(receipt.key);
    return true;
  }
  if (answer.status >= 500) return false;
  if (answer.redirected || answer.status === 403) {
    await show("Sign in again to send it.", receipt.url);
    return false;
  }
  // It needs a person: it is a draft of its page again.
  const why = await wrongIn(answer);
  await forget(receipt.key);
  await saveDraft(keyOf(receipt.url), [...receipt.fields, [" at", receipt.at]]);
  await saveDraft(`${keyOf(receipt.url)} pictures`, receipt.pictures ?? []);
  await show(`One was refused: ${why}`, receipt.url);
  return false;
}

// The words with which a page refuses.
async function wrongIn(answer) {
  const page = new DOMParser().parseFromString(await answer.text(), "text/html");
  const words = [...page.querySelectorAll("main .wrong .says, main span.says, main .stop p, main .empty p")].map((one) => one.textContent.trim());
  return words.filter((one) => one && !one.startsWith("Something below")).join(" ") || "open it to see why.";
}

let sending = Promise.resolve();
function flush() {
  sending = sending.then(async () => {
    let sent = 0;
    for (const receipt of await waiting(who)) {
      try {
        if (!(await sendOne(receipt))) return;
        sent += 1;
      } catch {
        return show();
      }
    }
    if (sent) await show(`${sent} receipt${sent > 1 ? "s were" : " was"} sent.`);
  });
  return sending;
}

// The page that brought the worker was loaded before it: it is kept by hand, with what it uses.
async function keepThis() {
  if (navigator.serviceWorker.controller) return;
  await navigator.serviceWorker.ready;
  const [pages, assets] = await Promise.all([caches.open("dock-pages"), caches.open("dock-assets")]);
  const used = performance.getEntriesByType("resource").map((one) => one.name);
  const ours = used.filter((name) => name.startsWith(`${location.origin}/static/`));
  await Promise.all([pages.add(location.href), assets.addAll([...new Set(ours)])]);
  document.documentElement.dataset.kept = "1";
}

const freshKey = () => crypto.randomUUID().replaceAll("-", "");

let busy = false;

async function submit(event) {
  const name = event.submitter?.name ?? "";
  if (!SAVES.has(name) || form.dataset.native) return;
  event.preventDefault();
  if (busy) return;
  busy = true;
  const fields = fieldsOf(form);
  if (name) fields.push([name, ""]);
  const receipt = { key: form.elements.key.value, who, url: location.pathname, fields, pictures: pictures(), at: Date.now() };
  await wait(receipt);
  try {
    const answer = await post(receipt, form.elements.csrfmiddlewaretoken.value);
    const made = await receivedAs(answer);
    await forget(receipt.key);
    if (made) {
      await forgetDraft(keyOf(location.pathname));
      await forgetPictures();
      location.href = made;
    } else if (answer.status >= 500) {
      await wait(receipt);
      await keptHere();
    } else again(name);
  } catch {
    await keptHere();
  }
}

// The server shows what is wrong on the form itself.
function again(name) {
  const said = document.createElement("input");
  Object.assign(said, { type: "hidden", name });
  if (name) form.append(said);
  form.dataset.native = "1";
  form.submit();
}

async function keptHere() {
  busy = false;
  await forgetDraft(keyOf(location.pathname));
  form.reset();
  await forgetPictures();
  form.elements.key.value = freshKey();
  document.dispatchEvent(new Event("kept"));
  await show("It is sent by itself when the network is back.");
  place.scrollIntoView({ block: "nearest" });
}

if (place) {
  const secure = "serviceWorker" in navigator && isSecureContext;
  if (secure) navigator.serviceWorker.register("/receiving/worker.js").then(keepThis).catch(() => undefined);
  else tell("Without HTTPS this page does not open again without network.");
  // A page out of the phone's store has a key that may have been used.
  if (form && !navigator.onLine) form.elements.key.value = freshKey();
  form?.addEventListener("submit", submit);
  addEventListener("online", flush);
  setInterval(flush, EVERY);
  await flush();
  if (secure) await show();
}
