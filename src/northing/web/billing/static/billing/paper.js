// The paper that is chosen stands beside the form at once, before it is sent: a picture as it is, a PDF in a frame.
const field = document.querySelector("input[type=file][name=document]");
const beside = document.querySelector("[data-papers]");
let address = "";

function shown(file) {
  const place = document.createElement(file.type === "application/pdf" ? "iframe" : "img");
  place.src = address;
  place.setAttribute(place.tagName === "IMG" ? "alt" : "title", file.name);
  const paper = document.createElement("section");
  paper.className = "panel paper";
  paper.dataset.chosen = "";
  const head = document.createElement("h2");
  head.textContent = file.name;
  paper.append(head, place);
  return paper;
}

field?.addEventListener("change", () => {
  beside.querySelector("[data-chosen]")?.remove();
  if (address) URL.revokeObjectURL(address);
  const [file] = field.files;
  const drawn = file && (file.type.startsWith("image/") || file.type === "application/pdf");
  address = drawn ? URL.createObjectURL(file) : "";
  if (drawn) beside.prepend(shown(file));
  beside.parentElement.classList.toggle("with-paper", Boolean(beside.children.length));
});
