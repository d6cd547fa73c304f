// What a form would do is shown while it is filled in: the page is asked as its own button would ask it.
const form = document.querySelector("form[data-foresee]");
const effect = document.getElementById("effect");
const byPayee = JSON.parse(document.getElementById("currencies")?.textContent ?? "{}");
let asked = 0;

async function show() {
  const mine = ++asked;
  const body = new FormData(form);
  body.append("act", "show");
  const answer = await fetch(form.action, { method: "POST", body }).catch(() => null);
  const page = answer?.ok ? new DOMParser().parseFromString(await answer.text(), "text/html") : null;
  // An answer that comes after a newer question says nothing.
  if (mine === asked) effect.replaceChildren(...(page?.getElementById("effect")?.childNodes ?? []));
}

function follow() {
  const { payee, currency } = form.elements;
  if (payee && currency) currency.placeholder = byPayee[payee.value] ?? "";
}

form.addEventListener("change", () => {
  follow();
  show();
});
follow();
