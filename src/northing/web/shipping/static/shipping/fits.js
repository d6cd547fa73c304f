// How full a container is, and what still fits: for drawing and for filling in; the server counts again, exactly.
const WIDE = 130;
const SMALL = 1e-9;

function percent(part) {
  return part === null ? "" : `${Math.round(part * 100)} %`;
}

export function sizes(box, [volume, weight], [mostVolume, mostWeight]) {
  const parts = { volume: Number.isFinite(mostVolume) ? volume / mostVolume : null, weight: Number.isFinite(mostWeight) ? weight / mostWeight : null };
  for (const [kind, part] of Object.entries(parts)) {
    const bar = box.querySelector(`rect.${kind}`);
    bar.setAttribute("width", Math.min(part ?? 0, 1) * WIDE);
    bar.classList.toggle("over", (part ?? 0) > 1 + SMALL);
  }
  const charged = (Math.ceil(Math.max(weight, (volume * 1e6) / 6000) * 2 - SMALL) / 2).toLocaleString("en");
  const byAir = parts.volume === null && volume + weight > 0 ? `, by air ${charged} kg charged` : "";
  const figures = `${volume.toFixed(1)} m³ ${percent(parts.volume)} · ${Math.round(weight).toLocaleString("en")} kg ${percent(parts.weight)}${byAir}`;
  const over = [(parts.volume ?? 0) > 1 + SMALL && "too full", (parts.weight ?? 0) > 1 + SMALL && "too heavy"].filter(Boolean);
  const says = box.querySelector(".fill-says");
  says.textContent = over.length ? `${figures}: ${over.join(" and ")}` : figures;
  says.classList.toggle("broken", over.length > 0);
  box.querySelector("svg.fill title").textContent = says.textContent;
  box.querySelector("svg.fill").setAttribute("aria-label", says.textContent);
}

// How many units fit, in whole packs; null: all of them.
export function fits({ volume, weight, step }, wanted, roomVolume, roomWeight) {
  const most = Math.min(
    Number(volume) ? Math.max(roomVolume, 0) / Number(volume) : Infinity,
    Number(weight) ? Math.max(roomWeight, 0) / Number(weight) : Infinity,
  );
  return most + SMALL >= wanted ? null : Math.floor((most + SMALL) / Number(step)) * Number(step);
}
