// Single letters act on the row in hand, or on the first row that has such an act.
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || event.target.closest("input, select, textarea")) return;
  const button = `[data-letter="${CSS.escape(event.key)}"]`;
  const row = document.activeElement.closest("tbody tr");
  (row ?? document.querySelector(`tbody tr:has(${button})`))?.querySelector(button)?.click();
});
