// The sky as a disc, turned as the plan is: the zenith in the middle, the horizon as its rim, the
// sun's path of the day between those of midsummer and midwinter, with its hours.
import { make } from "./svg.js";

const rim = 104, // pixels of the horizon
  gap = 0.3; // hours: what lies further apart is not known between

// spot is where something stands on the disc: equal steps of height are equal steps from the rim.
function spot(p) {
  const r = rim * (1 - p.elevation / (Math.PI / 2));
  return [r * Math.sin(p.azimuth), -r * Math.cos(p.azimuth)];
}

const line = (list) => list.map((p, i) => (i ? "L" : "M") + spot(p).map((x) => x.toFixed(1))).join("");

// runs parts a path where hours are left out, because the sun is down.
function runs(list) {
  const out = [];
  for (const p of list) {
    const last = out.at(-1)?.at(-1);
    if (last && p.hour - last.hour < gap) out.at(-1).push(p);
    else out.push([p]);
  }
  return out;
}

const drawn = (list) => runs(list).map(line).join("");

// sunAt is where the sun stands at an hour, between the quarters that are known; null when it is
// deep below the horizon.
export function sunAt(sun, hour) {
  const i = sun.path.findIndex((p) => p.hour >= hour - 1e-9),
    b = sun.path[i],
    a = sun.path[i - 1];
  if (!b || (b.hour > hour + 1e-9 && (!a || b.hour - a.hour > gap))) return null;
  if (!a || Math.abs(b.hour - hour) < 1e-9) return b;
  const k = (hour - a.hour) / (b.hour - a.hour),
    turn = Math.atan2(Math.sin(b.azimuth - a.azimuth), Math.cos(b.azimuth - a.azimuth));
  return { hour, azimuth: a.azimuth + k * turn, elevation: a.elevation + k * (b.elevation - a.elevation) };
}

// hourAt is the hour at which the sun comes nearest to the pointer, to three minutes.
export function hourAt(svg, sun, e) {
  const r = svg.getBoundingClientRect(),
    k = 260 / r.width,
    x = (e.clientX - r.left) * k - 130,
    y = (e.clientY - r.top) * k - 130;
  let best = null,
    least = Infinity;
  for (let m = 0; m <= 24 * 20; m++) {
    const p = sunAt(sun, m / 20);
    if (!p) continue;
    const [px, py] = spot(p),
      away = Math.hypot(px - x, py - y);
    if (away < least) {
      least = away;
      best = m / 20;
    }
  }
  return best;
}

export const clock = (hour) => {
  const m = Math.round(hour * 60);
  return `${String(Math.floor(m / 60)).padStart(2, "0")}:${String(m % 60).padStart(2, "0")}`;
};

export function drawDial(svg, sun, hour) {
  const all = make("g", { "font-size": 11, fill: "#bdbdbd", "text-anchor": "middle" }),
    text = (x, y, words, attrs) => all.append(make("text", { x, y: y + 4, ...attrs }, words));
  all.append(make("circle", { r: rim, fill: "#262626", stroke: "#6a6a6a" }));
  for (const e of [30, 60])
    all.append(make("circle", { r: rim * (1 - e / 90), fill: "none", stroke: "#4a4a4a", "stroke-dasharray": "1 4" }));
  // Between midsummer and midwinter the sun stands over the year.
  for (const [list, name] of [
    [sun.june, "june"],
    [sun.december, "december"],
  ])
    all.append(make("path", { d: drawn(list), fill: "none", stroke: "#6a6a6a", "data-year": name }));
  all.append(make("path", { d: drawn(sun.path), fill: "none", stroke: "#e8e8e8", "stroke-width": 2 }));
  for (const p of sun.path) {
    if (p.hour % 1 || p.hour > 23) continue;
    const [x, y] = spot(p);
    all.append(make("circle", { cx: x, cy: y, r: 2, fill: "#e8e8e8" }));
    const r = Math.hypot(x, y) || 1;
    // The sun has its own hour written beside it.
    if (p.hour % 3 === 0 && Math.abs(p.hour - hour) > 1) text((x / r) * (r - 12), (y / r) * (r - 12), p.hour);
  }
  const turned = (a) => [(rim + 14) * Math.sin(a + sun.north), -(rim + 14) * Math.cos(a + sun.north)];
  ["N", "E", "S", "W"].forEach((name, i) => {
    const [x, y] = turned((i * Math.PI) / 2);
    text(x, y, name, { fill: i ? "#8a8a8a" : "#ffffff", "font-weight": i ? 400 : 600 });
  });
  const now = sunAt(sun, hour);
  if (now) {
    const [x, y] = spot(now),
      up = now.elevation > 0;
    all.append(
      make("line", { x1: 0, y1: 0, x2: x, y2: y, stroke: "#8a8a8a" }),
      make("circle", { cx: x, cy: y, r: 14, fill: "transparent" }),
      make("circle", {
        cx: x,
        cy: y,
        r: 7,
        fill: up ? "#ffffff" : "#262626",
        stroke: "#ffffff",
        "stroke-width": 2,
        "data-sun": hour,
      }),
    );
    text(x, y + (y < 80 ? 22 : -18), clock(hour), {
      fill: "#ffffff",
      stroke: "#262626",
      "stroke-width": 3,
      "paint-order": "stroke",
    });
  } else text(0, 0, `${clock(hour)}: the sun is down`, { fill: "#ffffff" });
  svg.replaceChildren(all);
}
