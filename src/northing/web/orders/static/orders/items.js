// Items are found by words of the description, code or GTIN as one types; works on any field with data-items or list=items-found.
let asked = 0;
let waiting = null;

function offer(input, items) {
  let list = input.list ?? document.getElementById("items-found");
  if (!list) {
    list = Object.assign(document.createElement("datalist"), { id: "items-found" });
    document.body.append(list);
  }
  list.replaceChildren(...items.map(({ code, description }) => {
    const option = document.createElement("option");
    option.value = code;
    // The words are part of the label, so that the browser keeps an item that was found by its description.
    option.label = `${code} ${description}`;
    option.textContent = `${code} ${description}`;
    return option;
  }));
  input.setAttribute("list", list.id);
}

async function find(input) {
  const mine = ++asked;
  const words = input.value.trim();
  if (words.length < 2) return;
  const answer = await fetch(`/orders/items/?${new URLSearchParams({ q: words })}`).catch(() => null);
  if (answer?.ok && mine === asked) offer(input, (await answer.json()).items);
}

document.addEventListener("input", (event) => {
  if (!event.target.matches?.("input[name$='item']")) return;
  clearTimeout(waiting);
  waiting = setTimeout(() => find(event.target), 120);
});
