// How numbers are printed. Reading what people type is the server's work.
const units = {
  millimetre: ["mm", 0.001, 0],
  centimetre: ["cm", 0.01, 1],
  metre: ["m", 1, 3],
  inch: ["in", 0.0254, 2],
  foot: ["ft", 0.3048, 0],
};

export function length(m, unit) {
  const [symbol, size, decimals] = units[unit] || units.metre;
  if (symbol === "ft") {
    const sign = m < 0 ? "-" : "",
      s = Math.round((Math.abs(m) / 0.0254) * 16);
    const feet = Math.floor(s / 192),
      inches = Math.floor((s % 192) / 16);
    let part = s % 16,
      den = 16;
    while (part && part % 2 === 0) {
      part /= 2;
      den /= 2;
    }
    return `${sign}${feet}' ${inches}${part ? ` ${part}/${den}` : ""}"`;
  }
  const v = m / size;
  return (
    `${v.toFixed(Math.abs(v) >= 1000 ? Math.min(decimals, 1) : decimals).replace(/^-(0(\.0*)?)$/, "$1")} ` +
    `${symbol}`
  );
}
// size prints three lengths with one unit.
export function size(v, unit) {
  const all = [v.x, v.y, v.z].map((m) => length(m, unit));
  if (unit === "foot") return all.join(" × ");
  const symbol = all[2].slice(all[2].indexOf(" "));
  return all.map((s) => s.slice(0, s.indexOf(" "))).join(" × ") + symbol;
}
export const number = (n, d = 2) =>
  n == null
    ? ""
    : Number(n)
        .toFixed(d)
        .replace(/(\.\d*?)0+$/, "$1")
        .replace(/\.$/, "")
        .replace(/^-0$/, "0");
export const degrees = (r, d = 1) => number((r * 180) / Math.PI, d) + "°";
export const radians = (d) => (d * Math.PI) / 180;
// distance prints a length as a ruler would, in metres or in feet.
export const feet = (unit) => unit === "foot" || unit === "inch";
export function distance(m, unit) {
  if (m == null) return "infinity";
  const a = Math.abs(m);
  if (feet(unit)) {
    const ft = a / 0.3048;
    return ft >= 5280
      ? (m / 1609.344).toFixed(1) + " mi"
      : ft >= 10
        ? (m / 0.3048).toFixed(0) + " ft"
        : ft >= 1
          ? (m / 0.3048).toFixed(1) + " ft"
          : (m / 0.0254).toFixed(a >= 0.0254 ? 1 : 2) + " in";
  }
  if (a >= 1000) return (m / 1000).toFixed(1) + " km";
  if (a >= 10) return m.toFixed(1) + " m";
  if (a >= 0.1 || a === 0) return m.toFixed(2) + " m";
  return (m * 1000).toFixed(1) + " mm";
}
