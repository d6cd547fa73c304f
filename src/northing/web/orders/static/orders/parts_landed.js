// What a line's dated parts would cost landed, asked of the server a moment after one stops typing.
const pause = 500;
let waiting = 0;
let asked = 0;

async function ask(form) {
  const mine = ++asked;
  const answer = await fetch(form.dataset.landed, { method: "POST", body: new FormData(form) }).catch(() => null);
  // Of two answers that overtake each other the later question counts.
  if (!answer?.ok || mine !== asked) return;
  const found = await answer.json();
  for (const output of form.querySelectorAll("output[data-row]")) {
    const line = found.lines[output.dataset.row];
    const moved = line?.was && line.was !== line.unit;
    output.textContent = line?.unit ? `lands at ${found.currency} ${moved ? `${line.was} → ` : ""}${line.unit} each` : "";
    output.title = line?.why.join(" · ") ?? "";
  }
}

// The record of a line comes and goes beside the list: the page listens, not the form.
document.addEventListener("input", (event) => {
  const form = event.target.closest("form.parts[data-landed]");
  if (!form) return;
  clearTimeout(waiting);
  waiting = setTimeout(ask, pause, form);
});
