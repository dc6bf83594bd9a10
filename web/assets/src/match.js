// Marks on a picture that is laid over the lens view: lines along the set's axes,
// places that are known, an upright.
import { pull } from "./drag.js";
import { stores } from "./stores.js";

const colour = { x: "#ffffff", y: "#d0d0d0", z: "#9a9a9a" };

// drawMatch are the marks as SVG, in a frame.
export function drawMatch(lens, f) {
  const m = lens.v.now.set.match,
    k = stores.film.matching;
  if (!m || stores.film.tab !== "match" || !lens.v.on("frame")) return "";
  const at = (x, y) => `${f.x + x * f.w} ${f.y + y * f.h}`;
  let s = "";
  const line = (l, name, dash = "") =>
    `<path d='M${at(l.x0, l.y0)}L${at(l.x1, l.y1)}' stroke='${colour[name] || "#d6e935"}' stroke-width='2.5' ` +
    `${dash} fill='none' data-mark='${name}'/><text x='${f.x + l.x1 * f.w + 5}' y='${f.y + l.y1 * f.h}' ` +
    `font-size='12' fill='#fff' stroke='#161616' stroke-width='3' paint-order='stroke'>${name}</text>`;
  for (const l of m.lines || []) s += line(l, l.axis);
  (m.points || []).forEach((p, i) => {
    s +=
      `<path d='M${f.x + p.x * f.w - 8} ${f.y + p.y * f.h}h16m-8 -8v16' stroke='#d6e935' stroke-width='2' ` +
      `fill='none' data-mark='place'/><text x='${f.x + p.x * f.w + 8}' y='${f.y + p.y * f.h - 6}' ` +
      `font-size='12' fill='#fff' stroke='#161616' stroke-width='3' paint-order='stroke'>${i + 1}</text>`;
  });
  if (k.upright?.length === 4)
    s += line({ x0: k.upright[0], y0: k.upright[1], x1: k.upright[2], y1: k.upright[3] }, "upright");
  if (lens.marking) s += line(lens.marking, "…", "stroke-dasharray='4 3'");
  return s;
}

// pressMatch takes a pointer that is marking; false leaves it to the view.
export function pressMatch(lens, e) {
  const mode = stores.film.matching.mode;
  if (!mode || stores.film.tab !== "match" || !lens.v.on("frame")) return false;
  const r = lens.canvas.getBoundingClientRect(),
    at = (m) => {
      const f = lens.frame();
      return [(m.clientX - r.left - f.x) / f.w, (m.clientY - r.top - f.y) / f.h];
    };
  const [x, y] = at(e);
  if (mode === "point") {
    const p = lens.grasp.first(e)?.at || { x: 0, y: 0, z: 0 },
      round = (n) => Math.round(n * 100) / 100;
    stores.film.markPoint({ at: { x: round(p.x), y: round(p.y), z: round(p.z) }, x, y });
    return true;
  }
  pull(
    lens.canvas,
    e,
    (m) => {
      const [x1, y1] = at(m);
      lens.marking = { x0: x, y0: y, x1, y1 };
      lens.invalidate();
    },
    (moved) => {
      const l = lens.marking;
      lens.marking = null;
      if (moved === null) return lens.invalidate();
      if (!l || Math.hypot(l.x1 - l.x0, l.y1 - l.y0) < 0.01)
        return lens.v.say("Drag along an edge: a click tells no direction.", true);
      if (mode === "upright") {
        stores.film.matching.upright = [l.x0, l.y0, l.x1, l.y1];
        return lens.invalidate();
      }
      return stores.film.markLine({ axis: mode.slice(-1), ...l });
    },
  );
  return true;
}
