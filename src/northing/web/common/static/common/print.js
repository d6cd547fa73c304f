// Prints the page as the browser does.
for (const button of document.querySelectorAll("[data-print-page]")) button.addEventListener("click", () => print());
