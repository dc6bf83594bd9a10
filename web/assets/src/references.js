// Things to hold a piece against in the line-up, drawn here: width, height,
// path in metres with y down. Common sizes from memory.
import { stores } from "./stores.js";

const rect = (x, y, w, h) => `M${x} ${-y}h${w}v${-h}h${-w}Z`;
export const beside = {
  door: [
    0.96,
    2.1,
    rect(-0.48, 0, 0.05, 2.1) +
      rect(0.43, 0, 0.05, 2.1) +
      rect(-0.48, 2.05, 0.96, 0.05) +
      rect(-0.41, 0.01, 0.82, 2.01),
  ],
  chair: [0.46, 0.88, rect(-0.23, 0, 0.04, 0.88) + rect(0.19, 0, 0.04, 0.45) + rect(-0.23, 0.41, 0.46, 0.05)],
  table: [1.6, 0.75, rect(-0.8, 0.71, 1.6, 0.04) + rect(-0.76, 0, 0.06, 0.72) + rect(0.7, 0, 0.06, 0.72)],
  car: [
    4.4,
    1.45,
    "M-2.2 -.3L-2.15 -.75L-1.2 -.9L-.6 -1.42L.9 -1.45L1.6 -.95" +
      "L2.15 -.85L2.2 -.3L1.7 -.3A.33 .33 0 1 1 1.04 -.3L-1.05 -.3A.33 .33 0 1 1 -1.71 -.3Z",
  ],
  step: [0.56, 0.34, "M-.28 0V-.17H0V-.34H.28V0Z"],
  hand: [
    0.1,
    0.19,
    "M-.04 0L-.05 -.09L-.035 -.16L-.02 -.165L-.015 -.11L-.01 -.185L.005 -.19L.01 -.11" +
      "L.02 -.18L.032 -.175L.03 -.1L.05 -.115L.055 -.1L.03 -.04L.03 0Z",
  ],
};
export const besideNames = Object.keys(beside);

// heldBeside lists what stands at the left of the line-up: a person, or a hand
// where a person is too large for the sheet; the chosen ones of these, and the
// placement that the piece is held against. room is in metres.
export function heldBeside(v, room) {
  const st = v.now,
    out = [],
    tall = 1.75 > 3 * room;
  if (!tall) out.push({ name: "person", wide: 0.6, d: st.standIns.person.front, label: v.length(1.75) });
  for (const n of besideNames)
    if (stores.size.line.beside.includes(n) || (tall && n === "hand"))
      out.push({ name: n, wide: beside[n][0], d: beside[n][2], label: v.length(beside[n][1]) });
  const p = st.placements.find((q) => q.id === stores.size.like);
  if (p) {
    const piece = st.pieces.find((q) => q.id === p.piece),
      mid = (p.box.min.x + p.box.max.x) / 2;
    const d = piece ? v.shapes.of(piece)?.front : rect(-p.size.x / 2, 0, p.size.x, p.size.y);
    out.push({
      name: p.name,
      wide: p.dims.x,
      d,
      move: `scale(${p.scale.x} ${p.scale.y}) translate(${-mid} ${p.box.min.y}) ${piece?.outline.front || ""}`,
      label: `${v.length(p.dims.x)} × ${v.length(p.dims.y)}`,
    });
  }
  return out;
}
