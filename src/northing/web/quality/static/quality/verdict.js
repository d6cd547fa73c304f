// What the sample says of its lot, while it is counted; what then passes and fails stands where it may be changed.
const form = document.querySelector("form[data-verdict]");
const told = form.querySelector(".told");
const { held, major, minor } = form.dataset;
const asked = Number(form.elements.sample.value);
// What is needed only where it is not decided as the plan has it.
const others = ["sorted", "overruled"].map((name) => form.elements[name].closest(".field"));
const said = (name) => Number.parseInt(form.elements[name].value, 10) || 0;

function tell() {
  const found = said("critical") + said("major") + said("minor");
  const few = said("major") <= Number(major) && (minor === undefined || said("minor") <= Number(minor));
  const accepted = said("critical") === 0 && few;
  const passed = accepted ? Math.max(Number(held) - found, 0) : 0;
  const typed = form.elements.passed.value.trim();
  form.elements.passed.placeholder = passed;
  form.elements.failed.placeholder = typed === "" ? Number(held) - passed : Number(held) - (Number(typed) || 0);
  told.textContent = accepted ? "The sample accepts the lot." : "The sample rejects the lot: send it back, or sort it.";
  told.classList.toggle("broken", !accepted);
  const plain = accepted && said("sample") >= asked && typed !== "0" && form.elements.overruled.value === "";
  for (const other of others) other.hidden = plain;
}

form.addEventListener("input", tell);
tell();
