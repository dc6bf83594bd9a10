// Measuring a piece: its three elevations, on which two points are clicked; what
// the distance between them really is gives the size. Points snap to corners,
// edges and extremes of the silhouettes.
import { make } from "./plan.js";

// points are the corners of an SVG path of straight lines, by loop.
function loops(d) {
  return (d || "").split("M").slice(1).map((s) => s.replace("Z", "").split("L").map((p) => p.trim().split(/[ ,]+/).map(Number)));
}

// moved reads "translate(x y) rotate(d) scale(kx ky)", of which the last two
// may be missing, as the way of a point.
function moved(t) {
  const read = (name) => (t || "").match(new RegExp(`${name}\\(([^)]*)\\)`))?.[1].trim().split(/[ ,]+/).map(Number) || [];
  const [x = 0, y = 0] = read("translate"), [deg = 0] = read("rotate"), [kx = 1, ky = kx] = read("scale"), s = Math.sin((deg * Math.PI) / 180), c = Math.cos((deg * Math.PI) / 180);
  return (p) => [c * p[0] * kx - s * p[1] * ky + x, s * p[0] * kx + c * p[1] * ky + y];
}

// elevations are what is drawn: name, loops in metres (y down), and what the
// axes are.
function elevations(p, right) {
  const { min, max } = p.box;
  return [
    { name: "front", path: p.outline.front, move: p.outline.frontTransform, x: [min.x, max.x], y: [-max.y, -min.y] },
    { name: "right", path: right?.right, move: right?.rightTransform, x: [-max.z, -min.z], y: [-max.y, -min.y] },
    { name: "top", path: p.outline.top, move: p.outline.topTransform, x: [min.x, max.x], y: [min.z, max.z] },
  ].map(({ name, path, move, x, y }) => {
    const to = moved(move), list = loops(path).map((l) => l.map(to)), all = list.flat();
    if (!all.length) return null;
    // Silhouettes are traced to a cell; the piece's own bounds are exact.
    const fit = (k, [lo, hi]) => {
      let a = Infinity, b = -Infinity;
      for (const q of all) { a = Math.min(a, q[k]); b = Math.max(b, q[k]); }
      return (v) => (b > a ? lo + ((v - a) / (b - a)) * (hi - lo) : lo);
    };
    const fx = fit(0, x), fy = fit(1, y);
    return { name, loops: list.map((l) => l.map((q) => [fx(q[0]), fy(q[1])])), x0: x[0], x1: x[1], y0: y[0], y1: y[1] };
  }).filter(Boolean);
}

// snap takes a point in metres to a corner, an edge or an extreme within reach.
function snap(e, q, reach) {
  let best = { at: q, how: "free", d: reach };
  const take = (at, how, bonus = 1) => { const d = Math.hypot(at[0] - q[0], at[1] - q[1]) * bonus; if (d < best.d) best = { at, how, d }; };
  for (const l of e.loops) {
    for (let i = 0; i < l.length; i++) {
      const a = l[i], b = l[(i + 1) % l.length], dx = b[0] - a[0], dy = b[1] - a[1], n = dx * dx + dy * dy;
      take(a, "corner", 0.6);
      if (n > 0) { const t = Math.min(Math.max(((q[0] - a[0]) * dx + (q[1] - a[1]) * dy) / n, 0), 1); take([a[0] + t * dx, a[1] + t * dy], "edge"); }
    }
  }
  for (const x of [e.x0, e.x1]) if (Math.abs(x - q[0]) < reach * 0.5) take([x, q[1]], "extreme", 0.8);
  for (const y of [e.y0, e.y1]) if (Math.abs(y - q[1]) < reach * 0.5) take([q[0], y], "extreme", 0.8);
  return best;
}

export function drawMeasure(svg, v) {
  const box = svg.getBoundingClientRect(), w = box.width, h = box.height, p = v.sized;
  if (w < 2 || !p) return;
  const m = v.measured, list = elevations(p, v.proposal);
  if (m.piece !== p.id) Object.assign(m, { piece: p.id, points: [], on: "", hover: null });
  const pad = 46, gap = 64, front = list.find((e) => e.name === "front"), right = list.find((e) => e.name === "right"), top = list.find((e) => e.name === "top");
  if (!front) return;
  const wide = front.x1 - front.x0, tall = front.y1 - front.y0, deep = top ? top.y1 - top.y0 : 0;
  const px = Math.min((w - 2 * pad - gap - 90) / (wide + (right ? right.x1 - right.x0 : 0) || 1), (h - 2 * pad - gap - 40) / (tall + deep || 1));
  const used = (wide + (right ? right.x1 - right.x0 : 0)) * px + (right ? gap : 0), x0 = Math.max(pad + 40, (w - used) / 2), y0 = pad + 26;
  const place = { front: [x0 - front.x0 * px, y0 - front.y0 * px] };
  if (right) place.right = [x0 + wide * px + gap - right.x0 * px, y0 - right.y0 * px];
  if (top) place.top = [x0 - top.x0 * px, y0 + tall * px + gap - top.y0 * px];
  const text = (x, y, s, a = {}) => make("text", { x, y, "font-size": 12, fill: "#161616", ...a }, s);
  svg.replaceChildren();
  for (const e of list) {
    const [ox, oy] = place[e.name], l = ox + e.x0 * px, r = ox + e.x1 * px, t = oy + e.y0 * px, b = oy + e.y1 * px;
    const g = make("g", { "data-elevation": e.name, role: "img", "aria-label": `${e.name} elevation` });
    g.append(make("path", { d: e.loops.map((q) => `M${q.map((s) => `${ox + s[0] * px} ${oy + s[1] * px}`).join("L")}Z`).join(""), fill: "#cfcfcf", stroke: "#4a4a4a", "stroke-width": 1, "fill-rule": "evenodd" }));
    if (e.name !== "top") g.append(make("line", { x1: l - 18, x2: r + 18, y1: b, y2: b, stroke: "#161616", "stroke-width": 2 }));
    g.append(text(l, t - 22, e.name, { "font-weight": 600 }));
    // Its own dimensions, as on a survey.
    g.append(make("path", { d: `M${l} ${t - 8}H${r}M${l} ${t - 12}v8M${r} ${t - 12}v8`, stroke: "#161616", fill: "none" }), text((l + r) / 2, t - 12, v.length(e.x1 - e.x0), { "text-anchor": "middle", "font-size": 11, class: "n halo" }));
    if (e.name !== "right") g.append(make("path", { d: `M${l - 10} ${t}V${b}M${l - 14} ${t}h8M${l - 14} ${b}h8`, stroke: "#161616", fill: "none" }), text(l - 16, (t + b) / 2 + 4, v.length(e.y1 - e.y0), { "text-anchor": "end", "font-size": 11, class: "n" }));
    svg.append(g);
  }
  const at = (e, q) => [place[e][0] + q[0] * px, place[e][1] + q[1] * px];
  if (m.points.length) {
    const pts = m.points.map((q) => at(m.on, q)), [a, b] = pts;
    if (b) {
      svg.append(make("path", { d: `M${a}L${b}`, stroke: "#161616", "stroke-width": 2 }));
      svg.append(text((a[0] + b[0]) / 2 + 8, (a[1] + b[1]) / 2 - 8, v.length(m.length), { class: "n halo", "font-weight": 600, "data-measured": "" }));
    }
    for (const q of pts) svg.append(make("path", { d: `M${q[0] - 6} ${q[1]}h12M${q[0]} ${q[1] - 6}v12`, stroke: "#161616", "stroke-width": 2 }));
  }
  if (m.hover && place[m.hover.on]) {
    const q = at(m.hover.on, m.hover.at);
    svg.append(make("circle", { cx: q[0], cy: q[1], r: 6, fill: "none", stroke: "#161616", "stroke-width": 1.5, "pointer-events": "none" }), text(q[0] + 10, q[1] + 16, m.hover.how, { "font-size": 11, class: "halo", "pointer-events": "none" }));
  }
  m.find = (x, y) => { // the elevation under the pointer, and the point on it
    const near = list.map((e) => { const [ox, oy] = place[e.name], q = [(x - ox) / px, (y - oy) / px]; const d = Math.max(e.x0 - q[0], q[0] - e.x1, e.y0 - q[1], q[1] - e.y1, 0); return { e, q, d }; }).sort((a, b) => a.d - b.d)[0];
    if (!near || near.d * px > 24) return null;
    const s = snap(near.e, near.q, 12 / px);
    return { on: near.e.name, at: s.at, how: s.how };
  };
  if (svg.dataset.wired) return;
  svg.dataset.wired = "yes";
  svg.addEventListener("pointermove", (e) => { m.hover = m.find(e.offsetX, e.offsetY); drawMeasure(svg, v); });
  svg.addEventListener("pointerleave", () => { m.hover = null; drawMeasure(svg, v); });
  svg.addEventListener("click", (e) => {
    const f = m.find(e.offsetX, e.offsetY);
    if (!f) return;
    if (m.points.length !== 1 || m.on !== f.on) m.points = [];
    m.on = f.on;
    m.points.push(f.at);
    m.length = m.points.length === 2 ? Math.hypot(m.points[0][0] - m.points[1][0], m.points[0][1] - m.points[1][1]) : 0;
    v.measuredLength = m.length;
    drawMeasure(svg, v);
  });
}
