// What a form would do is shown while it is filled in: the page is asked as its own button would ask it.
const form = document.querySelector("form[data-foresee]");
const effect = document.getElementById("effect");
const byPayee = JSON.parse(document.getElementById("currencies")?.textContent ?? "{}");
// So long a hand rests before what it types is shown.
const REST = 400;
let asked = 0;
let waits;

async function show() {
  const mine = ++asked;
  const body = new FormData(form);
  body.append("act", "show");
  const answer = await fetch(form.action, { method: "POST", body }).catch(() => null);
  const page = answer?.ok ? new DOMParser().parseFromString(await answer.text(), "text/html") : null;
  // An answer that comes after a newer question says nothing; nor one to a hand that types into the effect by now.
  if (mine === asked && !effect.contains(document.activeElement)) effect.replaceChildren(...(page?.getElementById("effect")?.childNodes ?? []));
}

function follow() {
  const { payee, currency } = form.elements;
  if (payee && currency) currency.placeholder = byPayee[payee.value] ?? "";
}

function typed(event, after) {
  // What is typed into the effect itself stays as it is typed.
  if (effect.contains(event.target)) return;
  follow();
  clearTimeout(waits);
  waits = setTimeout(show, after);
}

form.addEventListener("input", (event) => typed(event, REST));
form.addEventListener("change", (event) => typed(event, 0));
follow();
