// Exact arithmetic on what is typed: decimals as whole numbers with a scale, rounded half up, away from zero.
export function read(text) {
  const plain = text.replace(/[,\s]/g, "").replace("−", "-");
  const found = /^(-?)(\d{1,15})(?:\.(\d{1,10}))?$/.exec(plain);
  if (!found) return null;
  const digits = BigInt(found[2] + (found[3] ?? ""));
  return { units: found[1] ? -digits : digits, scale: (found[3] ?? "").length };
}

export function times(...factors) {
  return factors.reduce((a, b) => ({ units: a.units * b.units, scale: a.scale + b.scale }));
}

export function roundTo(value, places) {
  if (value.scale <= places) return value.units * 10n ** BigInt(places - value.scale);
  const by = 10n ** BigInt(value.scale - places);
  const size = (2n * (value.units < 0n ? -value.units : value.units) + by) / (2n * by);
  return value.units < 0n ? -size : size;
}

export function written(units, places) {
  const digits = (units < 0n ? -units : units).toString().padStart(places + 1, "0");
  const whole = digits.slice(0, digits.length - places).replace(/\B(?=(\d{3})+$)/g, ",");
  return (units < 0n ? "−" : "") + whole + (places ? "." + digits.slice(-places) : "");
}

export function plus(a, b) {
  const scale = Math.max(a.scale, b.scale);
  const whole = (value) => value.units * 10n ** BigInt(scale - value.scale);
  return { units: whole(a) + whole(b), scale };
}

export function plain({ units, scale }) {
  const digits = (units < 0n ? -units : units).toString().padStart(scale + 1, "0");
  const whole = digits.slice(0, digits.length - scale);
  const rest = scale ? digits.slice(-scale).replace(/0+$/, "") : "";
  return (units < 0n ? "-" : "") + whole + (rest ? `.${rest}` : "");
}
