// The line-up: silhouettes of all pieces at true relative size on one ground
// line, beside a person of 1.75 m and a staff. It is zoomed from a match to a
// mountain with the wheel, pulled along with the pointer, and put in order by
// size, suspicion or supplier; or every piece is as high as the others, with
// its size written.
import { make } from "./plan.js";
import { heldBeside } from "./beside.js";

const inkOf = (odd, on) => (odd ? "#93452f" : on ? "#3d3d3d" : "#6a6a6a");

// seen is what a side shows of a piece: from where to where along the ground,
// how high, and how far its foot lies above what its silhouette has at 0.
const seen = {
  front: (p, b) => [b.min.x, b.max.x, b.max.y - b.min.y, p.sizing.sunk > 0 ? 0 : b.min.y],
  right: (p, b) => [-b.max.z, -b.min.z, b.max.y - b.min.y, p.sizing.sunk > 0 ? 0 : b.min.y],
  top: (p, b) => [b.min.x, b.max.x, b.max.z - b.min.z, -b.max.z],
};

// order gives the pieces that are asked for, in the order that is asked for.
function order(v) {
  const st = v.now, line = v.line, snags = new Set(st.snags.filter((s) => s.step === "size").map((s) => s.id));
  const list = st.pieces.filter((p) => (line.which === "set" ? p.copies > 0 : !line.which || p.arrival === line.which));
  const big = (p) => Math.max(p.size.x, p.size.y);
  list.sort((a, b) => big(a) - big(b));
  if (line.order === "suspicion") list.sort((a, b) => snags.has(b.id) - snags.has(a.id) || a.sizing.decided - b.sizing.decided);
  if (line.order === "supplier") list.sort((a, b) => (a.proposal?.group || "").localeCompare(b.proposal?.group || ""));
  return { list, snags };
}

// layout places everything along the ground, in metres from the left; each
// stands apart from its neighbours by a part of their widths. It is done anew
// only when something else is to be seen.
let laid = { st: null, key: "", all: [] };
function layout(v) {
  const line = v.line, key = [line.order, line.which, line.equal, line.side].join();
  if (laid.st === v.now && laid.key === key) return laid.all;
  const { list, snags } = order(v);
  let x = 0, last = 0;
  const all = list.map((p) => {
    const [from, to, high, low] = seen[line.side](p, p.box), wide = Math.max(to - from, high * 0.05), k = line.equal ? 1 / (Math.max(high, wide * 0.6) || 1) : 1;
    x += (last + wide * k) * 0.12 + (line.equal ? 0.12 : 0);
    last = wide * k;
    const at = x + (wide * k) / 2;
    x += wide * k;
    return { p, at, wide: wide * k, high: high * k, k, odd: snags.has(p.id), mid: (from + to) / 2, low };
  });
  laid = { st: v.now, key, all };
  return all;
}

// scaleTo is the pixels a metre at which the chosen piece is seen well.
function scaleTo(v, chosen, w, h) {
  if (v.line.equal) return (h - 120) / 2.6;
  const tall = Math.max(chosen ? Math.max(chosen.high, chosen.wide * 0.6) : 2, 1e-4) * 1.3;
  return Math.min((h - 120) / Math.max(tall, Math.min(2.3, tall * 4)), chosen ? (0.45 * w) / chosen.wide : Infinity);
}

const text = (x, y, s, a = {}) => make("text", { x, y, "font-size": 12, fill: "#161616", ...a }, s);

// Left draws the staff and what is held beside; it is done anew only when they
// change, not while the row is pulled along. Gives where the row begins.
function left(v, parts, w, ground) {
  const { px, equal } = v.line, list = equal ? [] : heldBeside(v, ground / px);
  const key = JSON.stringify([px, equal, w, ground, v.unit, list]);
  if (parts.leftKey === key) return parts.edge;
  parts.leftKey = key;
  parts.staff.replaceChildren();
  parts.left.replaceChildren();
  let edge = 66;
  if (!equal) {
    const steps = v.feet ? [1 / 16, 0.25, 1, 6, 12, 60, 120, 600, 1200, 6000, 12000].map((k) => k * 0.0254) : [0.001, 0.005, 0.01, 0.05, 0.1, 0.5, 1, 5, 10, 50, 100, 500, 1000];
    const every = steps.find((k) => k * px >= 26) || 5 * steps.at(-1), most = Math.min(Math.floor(ground / (every * px)), 60);
    for (let i = 0; i <= most; i++) {
      const m = i * every, y = ground - m * px;
      parts.staff.append(make("line", { x1: 60, x2: w, y1: y, y2: y, stroke: "#b4b4b4" }), text(40, y + 4, m >= 1000 && !v.feet ? v.distance(m).replace(".0", "") : m < 0.01 && m && !v.feet ? `${+(m * 1000).toFixed(1)} mm` : v.length(m).replace(/(\.\d*?)0+ /, "$1 ").replace(". ", " "), { "text-anchor": "end", "font-size": 11, class: "n" }));
      parts.staff.append(make("rect", { x: 44, y: y - (every * px) / 2, width: 10, height: (every * px) / 2, fill: "#161616" }));
    }
    for (const { name, wide, d, move, label } of list) {
      const pixels = Math.max(wide * px, 46);
      if (edge + pixels > w * 0.6) continue;
      const g = make("g", { transform: `translate(${edge + pixels / 2} ${ground}) scale(${px})` });
      g.append(make("path", { d: d || "", fill: "#8e8e8e", "fill-rule": "evenodd", transform: move || null }));
      parts.left.append(g, text(edge + pixels / 2, ground + 20, name, { "text-anchor": "middle", fill: "#444" }), text(edge + pixels / 2, ground + 36, label, { "text-anchor": "middle", "font-size": 11, class: "n", fill: "#444" }));
      edge += pixels + 12;
    }
    edge += 4;
    parts.left.append(text(w - 14, 66, "1 : " + (px > 3780 ? (3780 / px).toFixed(3) : Math.round(3780 / px).toLocaleString("en")), { "text-anchor": "end", class: "n" }));
  }
  parts.ground.replaceChildren(make("line", { x1: 44, x2: w, y1: ground, y2: ground, stroke: "#161616", "stroke-width": 2 }));
  const window = parts.clip.firstChild;
  window.setAttribute("x", edge);
  window.setAttribute("width", Math.max(w - edge, 0));
  window.setAttribute("height", ground + 200);
  return (parts.edge = edge);
}

// Item is a piece in the drawing; it is kept while it is seen.
function item(p) {
  const g = make("g", { "data-piece": p.id, tabindex: 0, role: "button", style: "cursor:pointer" });
  const body = make("path", { "fill-rule": "evenodd" }), hit = make("rect", { fill: "transparent" }), words = make("g");
  g.append(body, hit, words);
  return { g, body, hit, words, said: "" };
}

function drawItem(v, it, a, x, ground) {
  const { px, side } = v.line, on = a.p.id === v.piece, half = (a.wide * px) / 2, high = a.high * px, ink = inkOf(a.odd, on);
  const small = half * 2 < 2 && high < 2, d = small ? `M${x - 1.5} ${ground - 3}h3v3h-3Z` : v.shapes.of(a.p)?.[side] || "";
  if (it.d !== d) it.body.setAttribute("d", (it.d = d));
  if (it.ink !== ink) it.body.setAttribute("fill", (it.ink = ink));
  it.body.setAttribute("transform", small ? "" : `translate(${x - a.mid * a.k * px} ${ground + a.low * a.k * px}) scale(${a.k * px}) ${a.p.outline[side]}`);
  const tall = Math.min(Math.max(high, 10), ground);
  for (const [k, n] of [["x", x - Math.max(half, 5)], ["y", ground - tall], ["width", Math.max(2 * half, 10)], ["height", tall]]) it.hit.setAttribute(k, n);
  it.words.setAttribute("transform", `translate(${x} ${ground})`);
  return { on, half, high };
}

// Say writes under a piece, from its middle on the ground: name, size, supplier,
// and the brackets of the chosen one.
function say(v, it, a, { on, half, high }, named, group, inset) {
  const size = named && (on || v.line.equal || 2 * half > 84), ink = a.odd ? "#8c2a12" : "#161616";
  const key = JSON.stringify([a.p.name, a.p.size, a.odd, on, named, size, group, on && [half, high], v.unit, v.line.equal, inset]);
  if (it.said === key) return;
  it.said = key;
  it.g.setAttribute("aria-label", `${a.p.name}, ${v.size(a.p.size)}${a.odd ? ", snag" : ""}`);
  it.words.replaceChildren();
  if (named) it.words.append(text(0, 20, (a.odd ? "△ " : "") + a.p.name, { "text-anchor": "middle", fill: ink, "font-weight": on ? 600 : 400, class: on ? "halo" : null }));
  if (size) it.words.append(text(0, 36, v.line.equal ? v.distance(a.p.size.x > a.p.size.y ? Math.max(a.p.size.x, a.p.size.z) : Math.max(a.p.size.y, a.p.size.z)) : `${v.length(v.line.side === "right" ? a.p.size.z : a.p.size.x)} × ${v.length(v.line.side === "top" ? a.p.size.z : a.p.size.y)}`, { "text-anchor": "middle", "font-size": 11, class: on ? "n halo" : "n", fill: ink }));
  if (group) it.words.append(text(inset, 54, `${group} ▸`, { "font-size": 11, fill: "#444" }));
  if (!on) return;
  const hw = Math.max(half, 8) + 6, k = 10;
  for (const [sx, y, dy] of [[-1, -high - 6, 1], [1, -high - 6, 1], [-1, 4, -1], [1, 4, -1]])
    it.words.append(make("path", { d: `M${sx * hw} ${y + dy * k}V${y}H${sx * (hw - k)}`, fill: "none", stroke: "#161616", "stroke-width": 2.5 }));
}

export function drawLineup(svg, v) {
  const box = svg.getBoundingClientRect(), w = box.width, h = box.height;
  if (w < 2 || !v.now) return;
  const parts = (svg.parts ||= setUp(svg, v));
  const all = layout(v), line = v.line, ground = h - 62, chosen = all.find((a) => a.p.id === v.piece);
  const key = [v.piece, line.order, line.equal, line.side, line.which, w].join();
  const fresh = parts.key !== key || !line.px; // another piece, or the first time: it gives the scale
  parts.key = key;
  if (fresh) line.px = scaleTo(v, chosen, w, h);
  const edge = (line.edge = left(v, parts, w, ground));
  if (fresh) { // the chosen one is on the sheet, with room for what is smaller at its left
    const room = w - edge, half = chosen ? chosen.wide / 2 : 0;
    line.x = chosen ? Math.max(Math.min(chosen.at - (0.55 * room) / line.px, chosen.at - half), chosen.at + half + (40 - room) / line.px) : 0;
  }
  // Only what is on the sheet is there.
  const there = [];
  let front = null, label = -Infinity, group = "";
  for (const a of all) {
    const x = edge + (a.at - line.x) * line.px, half = (a.wide * line.px) / 2;
    if (x + half < edge - 60 || x - half > w + 60) continue;
    let it = parts.items.get(a.p.id);
    if (!it) parts.items.set(a.p.id, (it = item(a.p)));
    const how = drawItem(v, it, a, x, ground), words = a.p.name.length * 3.1, named = how.on || x - words > Math.max(label, edge);
    if (named && !how.on) label = x + words + 8;
    const first = line.order === "supplier" && a.p.proposal?.group !== group ? (group = a.p.proposal?.group || "") : "";
    say(v, it, a, how, named, first, Math.round(Math.max(-half, edge + 4 - x)));
    if (how.on) front = it.g; else there.push(it.g);
  }
  if (front) there.push(front); // its words lie over those of its neighbours
  if (there.length !== parts.row.childElementCount || there.some((g, i) => parts.row.children[i] !== g)) {
    const held = there.includes(document.activeElement) && document.activeElement;
    parts.row.replaceChildren(...there);
    if (held) held.focus({ preventScroll: true });
    for (const [id, it] of parts.items) if (!it.g.parentNode) parts.items.delete(id);
  }
}

// setUp makes the parts of the drawing and takes the pointer and the keys; once.
function setUp(svg, v) {
  const clip = make("clipPath", { id: "above" }), staff = make("g", { "aria-hidden": "true" }), held = make("g", { "aria-hidden": "true", "data-beside": "" }), row = make("g", { "clip-path": "url(#above)" }), ground = make("g");
  clip.append(make("rect", { y: 0 }));
  svg.replaceChildren(clip, staff, ground, held, row);
  const parts = { clip, staff, left: held, row, ground, items: new Map(), key: "", leftKey: "", edge: 0 };
  let frame = 0, pulled = null;
  const again = () => { frame ||= requestAnimationFrame(() => { frame = 0; drawLineup(svg, v); }); };
  const zoom = (f, at) => {
    const l = v.line, px = Math.min(Math.max(l.px * f, 0.002), 60000), m = l.x + (at - l.edge) / l.px; // a mountain range to a pin
    l.x = m - (at - l.edge) / px;
    l.px = px;
    again();
  };
  const choose = (id) => { if (!id) return; parts.key = parts.key.replace(/^[^,]*/, id); v.choosePiece(id); };
  svg.addEventListener("wheel", (e) => { e.preventDefault(); if (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY)) { v.line.x += (e.deltaX || e.deltaY) / v.line.px; again(); } else zoom(Math.exp(-e.deltaY * 0.0015), e.offsetX); }, { passive: false });
  svg.addEventListener("pointerdown", (e) => { pulled = { x: e.clientX, from: v.line.x, moved: false, id: e.target.closest("[data-piece]")?.dataset.piece }; svg.setPointerCapture(e.pointerId); });
  svg.addEventListener("pointermove", (e) => {
    if (!pulled) return;
    if (Math.abs(e.clientX - pulled.x) > 3) pulled.moved = true;
    if (pulled.moved) { v.line.x = pulled.from - (e.clientX - pulled.x) / v.line.px; again(); }
  });
  svg.addEventListener("pointerup", () => { if (pulled && !pulled.moved) choose(pulled.id); pulled = null; });
  svg.addEventListener("pointercancel", () => { pulled = null; });
  svg.addEventListener("keydown", (e) => {
    const id = e.target.closest?.("[data-piece]")?.dataset.piece;
    if ((e.key === "Enter" || e.key === " ") && id) { e.preventDefault(); choose(id); svg.querySelector(`[data-piece="${id}"]`)?.focus(); }
    if (e.key === "+" || e.key === "-") { e.preventDefault(); e.stopPropagation(); zoom(e.key === "+" ? 1.4 : 1 / 1.4, svg.clientWidth / 2); }
  });
  v.line.zoom = (f) => zoom(f, svg.clientWidth / 2);
  v.line.fit = () => { v.line.px = 0; drawLineup(svg, v); };
  return parts;
}
