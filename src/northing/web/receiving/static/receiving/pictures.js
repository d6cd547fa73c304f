// Pictures of goods: taken one after the other, kept on the phone until they are received.
import { keyOf, restored } from "./drafts.js";
import { draftOf, saveDraft } from "./store.js";

const field = document.querySelector("form[data-scan] [name=pictures]");
const key = `${keyOf(location.pathname)} pictures`;
const WIDTH = 224;
const list = document.createElement("ul");
let taken = [];

function show() {
  const files = new DataTransfer();
  for (const one of taken) files.items.add(one);
  field.files = files.files;
  list.replaceChildren(...taken.map(shown));
}

function shown(file, place) {
  const item = document.createElement("li");
  const picture = document.createElement("canvas");
  const away = document.createElement("button");
  picture.setAttribute("role", "img");
  picture.setAttribute("aria-label", file.name);
  draw(file, picture).catch(() => undefined);
  Object.assign(away, { type: "button", className: "btn small", textContent: "Leave out" });
  away.setAttribute("aria-label", `Leave out ${file.name}`);
  away.addEventListener("click", () => change(taken.filter((_, other) => other !== place)));
  item.append(picture, away);
  return item;
}

async function draw(file, canvas) {
  const whole = await createImageBitmap(file);
  Object.assign(canvas, { width: WIDTH, height: Math.round((WIDTH * whole.height) / whole.width) });
  canvas.getContext("2d").drawImage(whole, 0, 0, canvas.width, canvas.height);
  whole.close();
}

async function change(now) {
  taken = now;
  show();
  await saveDraft(key, taken).catch(() => undefined);
}

// The field alone would forget the pictures before the last.
function more() {
  const known = new Set(taken.map((one) => `${one.name} ${one.size} ${one.lastModified}`));
  return change([...taken, ...[...field.files].filter((one) => !known.has(`${one.name} ${one.size} ${one.lastModified}`))]);
}

export const pictures = () => taken;
export const forgetPictures = () => (field ? change([]) : undefined);

if (field) {
  list.className = "taken";
  field.closest(".field").after(list);
  await restored;
  taken = (await draftOf(key).catch(() => undefined)) ?? [];
  if (taken.length) show();
  field.addEventListener("change", more);
}
