// The passage board: what is under the hand is told; a call is dragged, or moved by key, to another day: ripple first.
import { told } from "../common/told.js";

const svg = document.querySelector("svg.board");
const tells = document.getElementById("tells");
const form = document.getElementById("say");
const day = Number(svg?.dataset.day);
let dragged = null;

const shift = (iso, days) => {
  const on = new Date(`${iso}T00:00:00Z`);
  on.setUTCDate(on.getUTCDate() + days);
  return on.toISOString().slice(0, 10);
};

function place(link, days) {
  link.dataset.by = days;
  link.setAttribute("transform", `translate(${days * day} 0)`);
  const on = new Date(`${shift(link.dataset.on, days)}T00:00:00Z`);
  const words = on.toLocaleDateString("en-GB", { weekday: "short", day: "numeric", month: "short", timeZone: "UTC" });
  const sign = days > 0 ? `+${days}` : `−${-days}`;
  tells.textContent = days ? `Estimate ${words}, ${sign} days: Enter shows what it moves, Escape lets it be.` : link.dataset.tells;
}

function ask(link) {
  const [voyage, call, milestone] = link.dataset.call.split("-");
  form.action = `/shipping/voyages/${voyage}/say/`;
  form.elements.call.value = call;
  form.elements.milestone.value = milestone;
  form.elements.value.value = shift(link.dataset.on, Number(link.dataset.by));
  form.requestSubmit();
}

if (svg) told(svg, tells, () => dragged);

svg?.addEventListener("pointerdown", (event) => {
  const link = event.target.closest("a.moves");
  if (!link) return;
  event.preventDefault();
  link.focus();
  dragged = { link, x: event.clientX, by: Number(link.dataset.by ?? 0) };
  svg.setPointerCapture(event.pointerId);
});
svg?.addEventListener("pointermove", (event) => {
  if (!dragged) return;
  const scale = svg.viewBox.baseVal.width / svg.getBoundingClientRect().width;
  place(dragged.link, dragged.by + Math.round(((event.clientX - dragged.x) * scale) / day));
});
svg?.addEventListener("pointerup", () => {
  const link = dragged?.link;
  dragged = null;
  if (link && Number(link.dataset.by)) ask(link);
});
svg?.addEventListener("click", (event) => {
  if (event.target.closest("a.moves")) event.preventDefault();
});
svg?.addEventListener("keydown", (event) => {
  const link = event.target.closest("a.moves");
  if (!link || event.ctrlKey || event.metaKey || event.altKey) return;
  const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
  if (step) place(link, Number(link.dataset.by ?? 0) + step);
  else if (event.key === "Escape") place(link, 0);
  else if (event.key === "Enter" && Number(link.dataset.by)) ask(link);
  else return;
  event.preventDefault();
});
