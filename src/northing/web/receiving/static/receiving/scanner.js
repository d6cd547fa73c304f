// A tap on a label is a scan on the dock's page in another window.
const air = new BroadcastChannel("scanner");

for (const label of document.querySelectorAll("button[data-code]")) {
  label.addEventListener("click", () => air.postMessage(label.dataset.code));
}
