// Counting at the dock: a short rest asks at once whether it is still coming.
import { read } from "../common/exact.js";

const rows = [...document.querySelectorAll("table.entry tbody tr")].filter((row) => row.querySelector("[data-expected]"));
const found = (row) => row.querySelector('input[name^="row-"]');
const rest = (row) => row.querySelector('select[name^="short-"]');

function isShort(row) {
  const counted = read(found(row).value);
  const expected = read(row.querySelector("[data-expected]").dataset.expected);
  if (!counted) return false;
  const scale = Math.max(counted.scale, expected.scale);
  const whole = (value) => value.units * 10n ** BigInt(scale - value.scale);
  return whole(counted) < whole(expected);
}

function ask(row) {
  const short = isShort(row);
  rest(row).disabled = !short;
  if (!short) rest(row).value = "";
  row.classList.toggle("asks", short && !rest(row).value);
}

for (const row of rows) {
  row.addEventListener("input", () => ask(row));
  ask(row);
}
