// The ladder: the brightness of the picture on one logarithmic ruler of luminance, with what burns and what drowns at
// the exposure, and what each light gives where the meter points.
import { make } from "./svg.js";
import { pull } from "./drag.js";
import { number } from "./print.js";
import { stores } from "./stores.js";

const lo = -3,
  hi = 6, // powers of ten of cd/m²
  wide = 376,
  base = 74,
  tall = 52;
const x = (cd) => 8 + ((wide - 16) * (Math.log10(Math.max(cd, 1e-9)) - lo)) / (hi - lo);
const from = -4, // of the ruler that the server tells, by tenths
  burnt = Math.log2(1 / 0.18),
  drowned = -6;

// greyOf is the luminance of middle grey at an exposure (ISO 12232, by saturation).
export const greyOf = (ev) => 0.18 * 1.2 * Math.pow(2, ev);

const short = (name) => (name.length > 16 ? name.slice(0, 15) + "…" : name);

function mark(svg, cd, text, color, row, handle) {
  const at = x(cd),
    left = at > wide - 90,
    side = { x: left ? at - 3 : at + 3, y: 12 + 11 * row, "text-anchor": left ? "end" : "start" },
    g = make("g", handle ? { "data-handle": handle, style: "cursor:ew-resize" } : {});
  g.append(
    make("line", { x1: at, x2: at, y1: base - tall, y2: base, stroke: color, "stroke-width": handle ? 2 : 1 }),
    make("text", { ...side, "font-size": 11, fill: color }, text),
  );
  if (handle) g.append(make("rect", { x: at - 12, y: base - tall, width: 24, height: tall, fill: "transparent" }));
  svg.append(g);
  return g;
}

// drawLadder draws it for an exposure.
export function drawLadder(svg, ev, held) {
  const film = stores.film,
    soft = "var(--soft)",
    ink = "var(--ink)",
    ruler = film.trueNow?.ruler,
    grey = greyOf(ev);
  svg.replaceChildren();
  const band = (a, b, fill) => {
    const width = Math.max(x(b) - x(a), 0);
    svg.append(make("rect", { x: x(a), width, y: base - tall, height: tall, fill, "fill-opacity": 0.22 }));
  };
  band(Math.pow(10, lo), grey * Math.pow(2, drowned), "#8a5cc0");
  band(grey * Math.pow(2, burnt), Math.pow(10, hi), "var(--snag)");
  const peak = Math.max(...(ruler?.share || [0]), 0.001);
  for (const [i, share] of (ruler?.share || []).entries()) {
    const a = Math.pow(10, from + i / 10);
    if (share <= 0 || a < Math.pow(10, lo) || a >= Math.pow(10, hi)) continue;
    const h = (tall * share) / peak;
    const width = x(a * 1.2589) - x(a); // a tenth of a power of ten
    svg.append(make("rect", { x: x(a), width, y: base - h, height: h, fill: soft, "data-bar": "" }));
  }
  svg.append(make("line", { x1: 8, x2: wide - 8, y1: base, y2: base, stroke: soft }));
  for (let k = lo; k <= hi; k++) {
    const at = x(Math.pow(10, k));
    svg.append(
      make("line", { x1: at, x2: at, y1: base, y2: base + 5, stroke: soft }),
      make(
        "text",
        { x: at, y: base + 16, "text-anchor": "middle", "font-size": 10, class: "n", fill: soft },
        k === lo || k === hi ? "" : k < 4 ? String(Number(Math.pow(10, k).toPrecision(1))) : `${Math.pow(10, k - 3)}k`,
      ),
    );
  }
  const r = film.reading;
  if (r?.luminance > 0) {
    mark(svg, r.luminance, "meter", ink, 1);
    for (const [i, s] of (r.hit ? r.shares : []).slice(0, 3).entries())
      mark(svg, (r.luminance * s.lux) / r.lux, short(s.name), soft, 2 + i, s.id);
  }
  mark(svg, grey, held ? `${number(ev, 1)} EV` : "grey", "#d6e935", 0, "grey");
}

// ladderWords say what burns and drowns.
export function ladderWords() {
  const r = stores.film.trueNow?.ruler;
  if (!r) return "the bars come with the true view (t)";
  const percent = (v) => `${number(100 * v, v < 0.01 ? 2 : 1)} %`;
  return `${percent(r.burnt)} of the picture is burnt, ${percent(r.drowned)} drowns`;
}

// falseWords say what the colours of the true view mean.
export function falseWords() {
  const by = stores.film.falseBy;
  if (!by) return "";
  if (by === "stops")
    return (
      "drawn as a map: sage is middle grey, each step of ochre a stop above, of blue a stop below; " +
      "red burns, violet drowns"
    );
  const unit = by === "cd" ? "cd/m²" : "lx";
  return (
    `drawn as a map: sage is 100 ${unit}, each step of ochre about twice as much (three are ten times), of blue ` +
    "half; violet is below 0.1"
  );
}

// pullLadder pulls the exposure along the ruler, or how strong a lamp is; show is called with the exposure on the way.
export function pullLadder(svg, e, show) {
  const handle = e.target.closest("[data-handle]")?.dataset.handle;
  if (!handle) return;
  const box = svg.getBoundingClientRect(),
    cd = (m) => Math.pow(10, lo + (((m.clientX - box.left) * (wide / box.width) - 8) * (hi - lo)) / (wide - 16)),
    evOf = (m) => Math.round(10 * Math.log2(cd(m) / (0.18 * 1.2))) / 10,
    began = cd(e);
  pull(
    svg,
    e,
    (m) => {
      if (handle === "grey") show(evOf(m));
    },
    (moved, m) => {
      show(null);
      if (!moved) return;
      if (handle === "grey") return void stores.shoot.view({ ev: evOf(m) });
      const lamp = stores.dress.lamps.find((l) => l.id === handle);
      if (!lamp) return;
      const b = stores.dress.burnOf(lamp);
      stores.dress.burn(lamp, { dim: Math.min((b.dim || 0.01) * (cd(m) / began), 100) });
    },
  );
}
