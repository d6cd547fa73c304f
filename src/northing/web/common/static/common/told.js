// A drawing whose links tell what they are: what is under the hand or focused is said in words; j and k go through them.
export function told(svg, tells, quiet = () => false) {
  const before = tells.textContent;
  const links = () => [...svg.querySelectorAll("a[data-tells]")];
  const tell = (event) => {
    const link = event.target.closest("a[data-tells]");
    if (link && !quiet()) tells.textContent = link.dataset.tells;
  };
  svg.addEventListener("focusin", tell);
  svg.addEventListener("mouseover", tell);
  svg.addEventListener("mouseleave", () => {
    if (!quiet()) tells.textContent = before;
  });
  document.addEventListener(
    "keydown",
    (event) => {
      const step = { j: 1, ArrowDown: 1, k: -1, ArrowUp: -1 }[event.key];
      // Keys that are typed, or that walk the rows of a table, are not the drawing's.
      if (!step || event.target.closest("input, select, textarea, table, dialog") || event.ctrlKey || event.metaKey || event.altKey) return;
      event.preventDefault();
      event.stopPropagation();
      const all = links();
      const next = all[Math.min(Math.max(all.indexOf(document.activeElement) + step, 0), all.length - 1)];
      next?.focus();
      next?.scrollIntoView({ block: "nearest" });
    },
    { capture: true },
  );
}
