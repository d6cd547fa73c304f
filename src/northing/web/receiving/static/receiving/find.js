// A scan on the dock's day finds what it names.
import "../common/camera.js";
import "../common/wedge.js";

document.addEventListener("scan", (event) => {
  const form = document.querySelector("main form[role=search]");
  form.elements.q.value = event.detail;
  form.requestSubmit();
});
