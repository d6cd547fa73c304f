// What the sample says of its lot, while it is counted; what then passes and fails stands where it may be changed.
const form = document.querySelector("form[data-verdict]");
const told = form.querySelector(".told");
const { held, major, minor } = form.dataset;
const asked = Number(form.elements.sample.value);
// What is needed only where it is not decided as the plan has it.
const others = ["sorted", "overruled"].map((name) => form.elements[name].closest(".field"));
const notes = form.querySelectorAll("[data-class]");

// Units that are not right by what is noted: a defect counts its units, a unit with wrong figures once, by the gravest.
function noted() {
  const found = { critical: 0, major: 0, minor: 0 };
  const worst = new Map();
  for (const field of notes) {
    const { class: severity, least, most } = field.dataset;
    if (field.tagName !== "TEXTAREA") {
      found[severity] += Number.parseInt(field.value, 10) || 0;
      continue;
    }
    field.value.split(/[\s,;]+/).filter(Boolean).forEach((text, unit) => {
      const value = Number(text);
      const right = (least === undefined || value >= Number(least)) && (most === undefined || value <= Number(most));
      const graver = !worst.has(unit) || rank[severity] < rank[worst.get(unit)];
      if (!right && graver) worst.set(unit, severity);
    });
  }
  for (const severity of worst.values()) found[severity] += 1;
  return found;
}

const rank = { critical: 0, major: 1, minor: 2 };
let seen = noted();
const said = (name) => {
  const typed = form.elements[name].value.trim();
  return typed === "" && name in seen ? seen[name] : Number.parseInt(typed, 10) || 0;
};

// Units that fail by what is typed, as the server reads it: without a defect they are major ones.
function failing() {
  const failed = Number(form.elements.failed.value.trim()) || 0;
  const passed = form.elements.passed.value.trim();
  return failed || (Number(passed) ? Math.max(Number(held) - Number(passed), 0) : 0);
}

function tell() {
  seen = noted();
  const none = ["critical", "major", "minor"].every((name) => form.elements[name].value.trim() === "" && !seen[name]);
  if (none) seen.major = Math.min(failing(), said("sample"));
  for (const name of Object.keys(seen)) form.elements[name].placeholder = seen[name] || "";
  const found = said("critical") + said("major") + said("minor");
  const few = said("major") <= Number(major) && (minor === undefined || said("minor") <= Number(minor));
  const accepted = said("critical") === 0 && few;
  const passed = accepted ? Math.max(Number(held) - found, 0) : 0;
  const typed = form.elements.passed.value.trim();
  form.elements.passed.placeholder = passed;
  form.elements.failed.placeholder = typed === "" ? Number(held) - passed : Number(held) - (Number(typed) || 0);
  const more = accepted && failing() > found && typed !== "0" && !form.elements.sorted.checked;
  told.textContent = more
    ? `${failing()} units fail, and ${found} of the sample are not right: count them by their defects, or sort the lot.`
    : accepted
      ? "The sample accepts the lot."
      : "The sample rejects the lot: send it back, or sort it.";
  told.classList.toggle("broken", !accepted || more);
  const plain = accepted && !more && said("sample") >= asked && typed !== "0" && form.elements.overruled.value === "";
  for (const other of others) other.hidden = plain;
}

form.addEventListener("input", tell);
tell();
