// Columns of the line book: dragged by their heads, widened at their edges, chosen in a list; kept in the address.
const table = document.getElementById("lines");
const field = document.getElementById("cols");
const list = document.querySelector(".column-list");
const narrowest = 48;
const widest = 600;

const heads = () => [...(table?.querySelectorAll("thead th") ?? [])];
const bars = () => [...(table?.querySelectorAll("col") ?? [])];
const said = () => heads().map((head, place) => `${head.dataset.key}:${bars()[place].width}`);

function keep(columns) {
  field.value = columns.join(",");
  const address = new URL(location.href);
  address.searchParams.set("cols", field.value);
  address.searchParams.set("where", address.searchParams.get("where") ?? document.getElementById("where").value);
  address.searchParams.delete("after");
  return address;
}

function stretch() {
  if (table) table.width = bars().reduce((sum, bar) => sum + Number(bar.width), 0);
}

// Widening: the pointer takes the edge of a head, and the address follows when it lets go.
table?.addEventListener("pointerdown", (event) => {
  if (!event.target.matches(".widen")) return;
  event.preventDefault();
  const bar = bars()[heads().indexOf(event.target.closest("th"))];
  const start = event.clientX;
  const width = Number(bar.width);
  const move = (to) => {
    bar.width = Math.min(Math.max(width + Math.round(to.clientX - start), narrowest), widest);
    stretch();
  };
  const end = () => {
    removeEventListener("pointermove", move);
    history.replaceState(null, "", keep(said()));
  };
  addEventListener("pointermove", move);
  addEventListener("pointerup", end, { once: true });
});

// Dragging a head onto another puts its column before it.
let dragged = null;
table?.addEventListener("dragstart", (event) => {
  if (event.target.matches(".widen")) event.preventDefault();
  dragged = event.target.closest("th");
});
table?.addEventListener("dragover", (event) => {
  if (dragged && event.target.closest("thead th")) event.preventDefault();
});
table?.addEventListener("drop", (event) => {
  const target = event.target.closest("thead th");
  if (!dragged || !target || target === dragged || target.dataset.key === "line") return;
  event.preventDefault();
  const columns = said();
  const from = heads().indexOf(dragged);
  const onto = heads().indexOf(target);
  const [moved] = columns.splice(from, 1);
  columns.splice(onto > from ? onto - 1 : onto, 0, moved);
  location.assign(keep(columns));
});

// Of many columns those are shown whose name has the letters typed.
document.querySelector(".column-search")?.addEventListener("input", ({ target }) => {
  const word = target.value.trim().toLowerCase();
  for (const item of list.querySelectorAll("li")) item.hidden = !item.querySelector("label").textContent.toLowerCase().includes(word);
});

// The list does the same from the keyboard.
const shown = new Set(heads().map((head) => head.dataset.key));
for (const more of list?.querySelectorAll("li.more") ?? []) if (shown.has(more.dataset.key)) more.remove();
list?.addEventListener("click", (event) => {
  const step = Number(event.target.dataset.move);
  if (!step) return;
  const item = event.target.closest("li");
  const beside = step < 0 ? item.previousElementSibling : item.nextElementSibling;
  if (!beside || beside.dataset.key === "line") return;
  if (step < 0) beside.before(item);
  else beside.after(item);
  event.target.focus();
});
list?.closest("form").addEventListener("submit", () => {
  if (!table) return;
  const widths = new Map(said().map((text) => text.split(":")));
  const chosen = [...list.querySelectorAll("li")].filter((item) => item.querySelector("input").checked);
  field.value = chosen.map(({ dataset: { key } }) => (widths.has(key) ? `${key}:${widths.get(key)}` : key)).join(",");
});
stretch();
