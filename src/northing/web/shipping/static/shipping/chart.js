// The chart: nearer and farther, dragged about; symbols and words keep their size. A port leads to its rows below.
import { told } from "../common/told.js";

const svg = document.querySelector("svg.chart");
const own = [...svg.querySelectorAll(".own")];
const edges = [...svg.querySelectorAll(".edge")].map((one) => ({ place: one.transform.baseVal.getItem(0), of: one.dataset.of }));
const { x, y, width, height } = svg.viewBox.baseVal;
const start = { x, y, width, height };
const NEAREST = 60;
const FARTHEST = 1440;
let dragged = null;

function see(next) {
  Object.assign(svg.viewBox.baseVal, next);
  const k = next.width / Number(svg.dataset.sheet);
  for (const one of own) one.setAttribute("transform", `scale(${k})`);
  // Degrees are named along the edge, wherever that is now.
  for (const { place, of } of edges) of === "east" ? place.setTranslate(place.matrix.e, next.y + next.height) : place.setTranslate(next.x, place.matrix.f);
}

function zoom(by, at) {
  const now = svg.viewBox.baseVal;
  const wide = Math.min(Math.max(now.width * by, NEAREST), FARTHEST);
  const share = wide / now.width;
  const to = at ?? { x: now.x + now.width / 2, y: now.y + now.height / 2 };
  see({ x: to.x - (to.x - now.x) * share, y: to.y - (to.y - now.y) * share, width: wide, height: now.height * share });
}

const point = (event) => new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());

told(svg, document.getElementById("tells"), () => dragged);
document.getElementById("print").addEventListener("click", () => window.print());
document.getElementById("nearer").addEventListener("click", (event) => {
  const button = event.target.closest("[data-zoom]");
  if (button) zoom(Number(button.dataset.zoom));
});
document.addEventListener("keydown", (event) => {
  if (event.target.closest("input, select, textarea, dialog") || event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key === "+" || event.key === "=") zoom(0.7);
  else if (event.key === "-" || event.key === "−") zoom(1.43);
  else if (event.key === "0") see(start);
  else return;
  event.preventDefault();
});
svg.addEventListener(
  "wheel",
  (event) => {
    // The page scrolls as pages do; with Ctrl, which is also what two fingers send, one goes nearer.
    if (!event.ctrlKey) return;
    event.preventDefault();
    zoom(event.deltaY > 0 ? 1.15 : 0.87, point(event));
  },
  { passive: false },
);
svg.addEventListener("pointerdown", (event) => {
  if (event.button || event.target.closest("a")) return;
  event.preventDefault();
  dragged = point(event);
  svg.setPointerCapture(event.pointerId);
});
svg.addEventListener("pointermove", (event) => {
  if (!dragged) return;
  const now = svg.viewBox.baseVal;
  const to = point(event);
  see({ x: now.x + dragged.x - to.x, y: now.y + dragged.y - to.y, width: now.width, height: now.height });
});
// However the drag ends: let go, or taken over by the browser.
svg.addEventListener("lostpointercapture", () => {
  dragged = null;
});
svg.addEventListener("click", (event) => {
  const link = event.target.closest('a[href^="#at-"]');
  const rows = link && document.getElementById(link.getAttribute("href").slice(1));
  if (!rows) return;
  event.preventDefault();
  rows.scrollIntoView({ block: "center" });
  (rows.querySelector("a") ?? rows).focus({ preventScroll: true });
});
