// Enter in a field of a form that acts goes to the next field; it never books, sends, pays or reverses. Ctrl+Enter does
// the main act. A button obeys Enter, textareas and forms that only search behave as everywhere; data-enter lets a form be
// sent by Enter (sign-in).
const FIELDS = "input:not([type=hidden]), select, textarea, button, a.btn";
const OWN = ["submit", "button", "image", "reset", "file"];

const acting = (form) => form && form.method === "post" && !form.matches("[data-enter]");
const shown = (node) => node.checkVisibility() && !node.disabled && !node.readOnly && node.tabIndex >= 0;

// The button that does the main act of a form, within it or tied to it by its id.
function mainOf(form) {
  const buttons = [...form.elements].filter((one) => one.matches("button:not([type=button]), input[type=submit]") && shown(one));
  return buttons.find((one) => one.matches(".main")) ?? buttons[0];
}

function next(field, form) {
  const all = [...form.querySelectorAll(FIELDS)].filter((one) => one === field || shown(one));
  const following = all.slice(all.indexOf(field) + 1);
  return following.find((one) => !one.matches("button, a.btn")) ?? mainOf(form) ?? following[0];
}

document.addEventListener("keydown", (event) => {
  if (event.key !== "Enter" || event.defaultPrevented || event.isComposing) return;
  const field = event.target;
  const form = field.form;
  if (!acting(form) || field.matches("button, a") || OWN.includes(field.type)) return;
  if (event.ctrlKey || event.metaKey) {
    event.preventDefault();
    mainOf(form)?.click();
  } else if (!field.matches("textarea")) {
    event.preventDefault();
    next(field, form)?.focus();
  }
});

// What was wrong with a field is history as soon as it is changed: the next check says what is wrong then.
document.addEventListener("input", (event) => {
  const field = event.target;
  if (field.getAttribute?.("aria-invalid") !== "true") return;
  field.removeAttribute("aria-invalid");
  field.closest(".field.wrong, td.wrong")?.classList.remove("wrong");
  const says = document.getElementById(field.getAttribute("aria-describedby") ?? "");
  if (says) says.textContent = "";
});
