// Every day being chosen is also said with its weekday, so that 03/04 can mean only one thing.
const said = new Intl.DateTimeFormat("en-GB", { weekday: "short", day: "numeric", month: "short", year: "numeric", timeZone: "UTC" });

function say(input) {
  let words = input.nextElementSibling;
  if (!words?.classList.contains("day-said")) {
    words = document.createElement("span");
    words.className = "day-said";
    input.after(words);
  }
  words.textContent = input.valueAsDate ? said.format(input.valueAsDate) : "";
}

document.addEventListener("input", (event) => event.target.type === "date" && say(event.target));
document.querySelectorAll('input[type="date"]').forEach(say);
