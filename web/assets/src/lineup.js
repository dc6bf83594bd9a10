// The line-up: silhouettes of all pieces at true relative size on one ground
// line, beside a person of 1.75 m and a staff. It is zoomed from a match to a
// mountain with the wheel, pulled along with the pointer, and put in order by
// size, suspicion or supplier; or every piece is as high as the others, with
// its size written.
import { make } from "./plan.js";
import { distance } from "./print.js";

// Things to hold beside, drawn here: width, height, path in metres, y down.
const rect = (x, y, w, h) => `M${x} ${-y}h${w}v${-h}h${-w}Z`;
const beside = {
  door: [0.96, 2.1, rect(-0.48, 0, 0.05, 2.1) + rect(0.43, 0, 0.05, 2.1) + rect(-0.48, 2.05, 0.96, 0.05) + rect(-0.41, 0.01, 0.82, 2.01)],
  chair: [0.46, 0.88, rect(-0.23, 0, 0.04, 0.88) + rect(0.19, 0, 0.04, 0.45) + rect(-0.23, 0.41, 0.46, 0.05)],
  table: [1.6, 0.75, rect(-0.8, 0.71, 1.6, 0.04) + rect(-0.76, 0, 0.06, 0.72) + rect(0.7, 0, 0.06, 0.72)],
  car: [4.4, 1.45, "M-2.2 -.3L-2.15 -.75L-1.2 -.9L-.6 -1.42L.9 -1.45L1.6 -.95L2.15 -.85L2.2 -.3L1.7 -.3A.33 .33 0 1 1 1.04 -.3L-1.05 -.3A.33 .33 0 1 1 -1.71 -.3Z"],
  step: [0.56, 0.34, "M-.28 0V-.17H0V-.34H.28V0Z"],
  hand: [0.1, 0.19, "M-.04 0L-.05 -.09L-.035 -.16L-.02 -.165L-.015 -.11L-.01 -.185L.005 -.19L.01 -.11L.02 -.18L.032 -.175L.03 -.1L.05 -.115L.055 -.1L.03 -.04L.03 0Z"],
};
export const besideNames = Object.keys(beside);

const inkOf = (odd, on) => (odd ? "#93452f" : on ? "#3d3d3d" : "#6a6a6a");

// order gives the pieces in the order that is asked for, with their groups.
function order(v) {
  const st = v.now, list = [...st.pieces], snags = new Set(st.snags.filter((s) => s.step === "size").map((s) => s.id));
  const big = (p) => Math.max(p.size.x, p.size.y);
  list.sort((a, b) => big(a) - big(b));
  if (v.line.order === "suspicion") list.sort((a, b) => snags.has(b.id) - snags.has(a.id) || (a.sizing.decided - b.sizing.decided));
  if (v.line.order === "supplier") list.sort((a, b) => (a.proposal?.group || "").localeCompare(b.proposal?.group || ""));
  return { list, snags };
}

// layout places everything along the ground, in metres from the left; each
// stands apart from its neighbours by a part of their widths.
function layout(v) {
  const { list, snags } = order(v), top = v.line.side === "top";
  let x = 0, last = 0;
  return list.map((p) => {
    const box = p.box, high = top ? box.max.z - box.min.z : p.size.y, wide = Math.max(p.size.x, high * 0.05), k = v.line.equal ? 1 / (Math.max(high, p.size.x * 0.6) || 1) : 1;
    x += (last + wide * k) * 0.12 + (v.line.equal ? 0.12 : 0);
    last = wide * k;
    const at = x + (wide * k) / 2;
    x += wide * k;
    return { p, at, wide: wide * k, high: high * k, k, odd: snags.has(p.id), mid: (box.min.x + box.max.x) / 2, low: top ? box.max.z : 0 };
  });
}

function scaleTo(v, h) {
  if (v.line.equal) return (h - 120) / 2.6;
  const c = v.sized, tall = Math.max(c ? Math.max(c.size.y, c.size.x * 0.6) : 2, 1e-4) * 1.3;
  return (h - 120) / Math.max(tall, Math.min(2.3, tall * 4));
}

export function drawLineup(svg, v) {
  const box = svg.getBoundingClientRect(), w = box.width, h = box.height, st = v.now;
  if (w < 2 || !st) return;
  const all = layout(v), line = v.line, ground = h - 62;
  const key = [v.piece, line.order, line.equal, line.side, w].join();
  const chosen = all.find((a) => a.p.id === v.piece);
  const fresh = svg.dataset.key !== key || !line.px; // another piece, or the first time: it gives the scale
  if (fresh) {
    svg.dataset.key = key;
    line.px = Math.min(scaleTo(v, h), chosen ? (0.45 * w) / chosen.wide : Infinity);
  }
  const px = line.px, text = (x, y, s, a = {}) => make("text", { x, y, "font-size": 12, fill: "#161616", ...a }, s);
  const to = (m) => (m - line.x) * px;

  // What stands at the left: staff, person and the things held beside.
  const staff = make("g", { "aria-hidden": "true" }), left = make("g", { "aria-hidden": "true", "data-beside": "" });
  let edge = 66;
  if (!line.equal) {
    const every = [0.001, 0.005, 0.01, 0.05, 0.1, 0.5, 1, 5, 10, 50, 100, 500, 1000].find((k) => k * px >= 26) || 5000, most = Math.min(Math.floor(ground / (every * px)), 60);
    for (let i = 0; i <= most; i++) {
      const m = i * every, y = ground - m * px;
      staff.append(make("line", { x1: 60, x2: w, y1: y, y2: y, stroke: "#b4b4b4" }), text(40, y + 4, m >= 1000 ? distance(m).replace(".0", "") : m < 0.01 && m ? `${+(m * 1000).toFixed(1)} mm` : v.length(m).replace(/(\.\d*?)0+ /, "$1 ").replace(". ", " "), { "text-anchor": "end", "font-size": 11, class: "n" }));
      staff.append(make("rect", { x: 44, y: y - (every * px) / 2, width: 10, height: (every * px) / 2, fill: "#161616" }));
    }
    const list = [["person", 0.6, st.standIns.person.front, v.length(1.75)], ...besideNames.filter((n) => line.beside.includes(n)).map((n) => [n, beside[n][0], beside[n][2], v.length(beside[n][1])])];
    for (const [name, wide, d, label] of list) {
      const pixels = Math.max(wide * px, 46);
      if (edge + pixels > w * 0.5) break;
      const g = make("g", { transform: `translate(${edge + pixels / 2} ${ground}) scale(${px})` });
      g.append(make("path", { d, fill: "#8e8e8e", "fill-rule": "evenodd" }));
      left.append(g, text(edge + pixels / 2, ground + 20, name, { "text-anchor": "middle", fill: "#444" }), text(edge + pixels / 2, ground + 36, label, { "text-anchor": "middle", "font-size": 11, class: "n", fill: "#444" }));
      edge += pixels + 12;
    }
    edge += 4;
  }
  if (fresh) { // the chosen one is on the sheet, with room for what is smaller at its left
    const room = w - edge, half = chosen ? chosen.wide / 2 : 0;
    line.x = chosen ? Math.max(Math.min(chosen.at - (0.55 * room) / px, chosen.at - half), chosen.at + half + (40 - room) / px) : 0;
  }
  const clip = make("clipPath", { id: "above" });
  clip.append(make("rect", { x: edge, y: 0, width: Math.max(w - edge, 0), height: h }));

  // Only what is on the sheet is drawn.
  const row = make("g", { "clip-path": "url(#above)" });
  let label = -Infinity, group = "", front = null;
  for (const a of all) {
    const x = edge + to(a.at), half = (a.wide * px) / 2;
    if (x + half < edge - 60 || x - half > w + 60) continue;
    const on = a.p.id === v.piece, high = a.high * px;
    const g = make("g", { "data-piece": a.p.id, tabindex: 0, role: "button", "aria-label": `${a.p.name}, ${v.size(a.p.size)}${a.odd ? ", snag" : ""}`, style: "cursor:pointer" });
    if (half * 2 < 2 && high < 2) {
      g.append(make("circle", { cx: x, cy: ground - 1, r: on ? 3 : 1.5, fill: inkOf(a.odd, on) }));
    } else {
      const body = make("g", { transform: `translate(${x - a.mid * a.k * px} ${ground - a.low * a.k * px}) scale(${a.k * px})` });
      const top = line.side === "top";
      body.append(make("path", { d: (top ? a.p.outline.top : a.p.outline.front) || "", transform: (top ? a.p.outline.topTransform : a.p.outline.frontTransform) || null, fill: inkOf(a.odd, on), "fill-rule": "evenodd" }));
      g.append(body);
    }
    g.append(make("rect", { x: x - Math.max(half, 5), y: Math.max(ground - Math.max(high, 10), 0), width: Math.max(2 * half, 10), height: Math.min(Math.max(high, 10), ground), fill: "transparent" }));
    const words = a.p.name.length * 6.2;
    if (on || x - words / 2 > label) {
      if (!on) label = x + words / 2 + 8;
      g.append(text(x, ground + 20, (a.odd ? "△ " : "") + a.p.name, { "text-anchor": "middle", fill: a.odd ? "#8c2a12" : "#161616", "font-weight": on ? 600 : 400, ...(on ? { class: "halo" } : {}) }));
      if (on || line.equal || 2 * half > 84) g.append(text(x, ground + 36, line.equal ? distance(Math.max(a.p.size.x, a.p.size.y, a.p.size.z)) : `${v.length(a.p.size.x)} × ${v.length(a.p.size.y)}`, { "text-anchor": "middle", "font-size": 11, class: on ? "n halo" : "n", fill: a.odd ? "#8c2a12" : "#161616" }));
    }
    if (line.order === "supplier" && a.p.proposal?.group && a.p.proposal.group !== group) {
      group = a.p.proposal.group;
      g.append(text(Math.max(x - half, edge + 4), ground + 54, `${group} ▸`, { "font-size": 11, fill: "#444" }));
    }
    if (on) {
      const t = ground - high - 6, hw = Math.max(half, 8) + 6, k = 10;
      for (const [sx, y, dy] of [[-1, t, 1], [1, t, 1], [-1, ground + 4, -1], [1, ground + 4, -1]])
        g.append(make("path", { d: `M${x + sx * hw} ${y + dy * k}V${y}H${x + sx * (hw - k)}`, fill: "none", stroke: "#161616", "stroke-width": 2.5 }));
    }
    if (on) front = g; else row.append(g);
  }
  if (front) row.append(front); // its words lie over those of its neighbours
  svg.replaceChildren(clip, staff, make("line", { x1: 44, x2: w, y1: ground, y2: ground, stroke: "#161616", "stroke-width": 2 }), left, row);
  if (!line.equal) svg.append(text(w - 14, 22, "1 : " + (px > 3780 ? (3780 / px).toFixed(3) : Math.round(3780 / px).toLocaleString("en")), { "text-anchor": "end", class: "n" }));
  line.edge = edge;
  if (!svg.dataset.wired) wire(svg, v);
}

// wire takes the pointer and the keys; once.
function wire(svg, v) {
  svg.dataset.wired = "yes";
  let frame = 0, pulled = null;
  const again = () => { frame ||= requestAnimationFrame(() => { frame = 0; drawLineup(svg, v); }); };
  const zoom = (f, at) => {
    const l = v.line, px = Math.min(Math.max(l.px * f, 0.002), 60000), m = l.x + (at - l.edge) / l.px; // a mountain range to a pin
    l.x = m - (at - l.edge) / px;
    l.px = px;
    again();
  };
  const choose = (id) => { if (!id) return; const key = svg.dataset.key; v.choosePiece(id); svg.dataset.key = key.replace(/^[^,]*/, id); drawLineup(svg, v); };
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
}
