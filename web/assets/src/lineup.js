// The line-up: silhouettes of all pieces at true relative size on one ground
// line, beside a person of 1.75 m and a staff.
import { make } from "./plan.js";
import { distance } from "./print.js";

export function drawLineup(svg, v) {
  const box = svg.getBoundingClientRect(), w = box.width, h = box.height, st = v.now;
  if (w < 2 || !st) return;
  svg.replaceChildren();
  const person = { id: "person", name: "person", box: { min: { x: -0.3, y: 0 }, max: { x: 0.3, y: 1.75 } }, outline: st.standIns.person };
  // Each stands as wide as it is; the chosen one gives the scale.
  const list = [person, ...[...st.pieces].sort((a, b) => Math.max(a.size.x, a.size.y) - Math.max(b.size.x, b.size.y))];
  const chosen = v.sized;
  const tall = Math.max(2.2, (chosen ? Math.max(chosen.size.y, chosen.size.x * 0.6) : 2) * 1.25), px = (h - 110) / tall, ground = h - 64;
  const gap = Math.max(12, tall * px * 0.02);
  let x = 0;
  const staff = make("g", { "aria-hidden": "true" }), every = [0.01, 0.05, 0.1, 0.5, 1, 5, 10, 50, 100, 500, 1000].find((k) => k * px >= 26) || 5000;
  for (let m = 0, i = 0; m <= tall; m += every, i++) {
    const y = ground - m * px;
    staff.append(make("line", { x1: 60, x2: w, y1: y, y2: y, stroke: "#b4b4b4" }), make("text", { x: 38, y: y + 4, "text-anchor": "end", "font-size": 11, class: "n", fill: "#222" }, m >= 1000 ? distance(m).replace(".0", "") : v.length(m).replace(/(\.\d*?)0+ /, "$1 ").replace(". ", " ")));
    staff.append(make("rect", { x: 44, y: y - (every * px) / 2, width: 10, height: (every * px) / 2, fill: "#161616" }));
  }
  svg.append(staff, make("line", { x1: 44, x2: w, y1: ground, y2: ground, stroke: "#161616", "stroke-width": 2 }));
  // The person stands still beside the staff; the pieces scroll behind, so
  // that the chosen one is on the sheet.
  const widths = list.map((p) => Math.max((p.box.max.x - p.box.min.x) * px, 34));
  const left = 70 + widths[0] + gap * 2, at = list.findIndex((p) => p.id === chosen?.id);
  if (at > 0) {
    const before = widths.slice(1, at).reduce((a, b) => a + b + gap, 0), right = left + before + widths[at] + 40;
    if (right > w) x = -Math.min(right - w, before);
  }
  const clip = make("clipPath", { id: "above" });
  clip.append(make("rect", { x: left - gap, y: 0, width: w - left + gap, height: h }));
  svg.append(clip);
  const row = make("g", { "clip-path": "url(#above)" });
  list.forEach((p, i) => {
    if (i === 1) x += left;
    const wide = widths[i], mid = i ? x + wide / 2 : 70 + wide / 2, on = p.id === chosen?.id, odd = st.snags.some((s) => s.step === "size" && s.id === p.id);
    if (i) x += wide + gap;
    if (mid + wide / 2 < 60 || mid - wide / 2 > w) return;
    const g = make("g", { "data-piece": p.id, tabindex: p.id === "person" ? null : 0, role: "button", "aria-label": p.name, style: "cursor:pointer" });
    const cx = (p.box.min.x + p.box.max.x) / 2;
    const body = make("g", { transform: `translate(${mid - cx * px} ${ground}) scale(${px})` });
    body.append(make("path", { d: p.outline?.front || "", transform: p.outline?.frontTransform || null, fill: odd ? "#93452f" : on ? "#3d3d3d" : "#6a6a6a", "fill-rule": "evenodd" }));
    g.append(body, make("rect", { x: mid - wide / 2, y: Math.max(ground - (p.size?.y || 1.75) * px, 0), width: wide, height: Math.min((p.size?.y || 1.75) * px, ground), fill: "transparent" }));
    const label = (p.name.length * 5.6 > wide + gap && !on) || (i && mid - wide / 2 < left - gap) ? "" : p.name;
    g.append(make("text", { x: mid, y: ground + 20, "text-anchor": "middle", "font-size": 12, fill: "#161616" }, label));
    if (p.size && label && (on || wide > 96)) g.append(make("text", { x: mid, y: ground + 36, "text-anchor": "middle", "font-size": 11, class: "n", fill: odd ? "#8c2a12" : "#161616" }, `${v.length(p.size.x)} × ${v.length(p.size.y)}`));
    if (p.id === "person") g.append(make("text", { x: mid, y: ground + 36, "text-anchor": "middle", "font-size": 11, class: "n", fill: "#161616" }, v.length(1.75)));
    if (on) {
      const t = ground - p.size.y * px - 6, hw = Math.max((p.size.x * px) / 2, 8) + 6, k = 10;
      for (const [sx, y, dy] of [[-1, t, 1], [1, t, 1], [-1, ground + 4, -1], [1, ground + 4, -1]])
        g.append(make("path", { d: `M${mid + sx * hw} ${y + dy * k}V${y}H${mid + sx * (hw - k)}`, fill: "none", stroke: "#161616", "stroke-width": 2.5 }));
    }
    const choose = () => { if (p.id !== "person") { v.piece = p.id; drawLineup(svg, v); } };
    g.addEventListener("click", choose);
    g.addEventListener("keydown", (e) => { if (e.key === "Enter" || e.key === " ") { e.preventDefault(); choose(); } });
    (i ? row : svg).append(g);
  });
  svg.append(row, make("text", { x: w - 14, y: 22, "text-anchor": "end", "font-size": 12, class: "n", fill: "#161616" }, "1 : " + Math.max(1, Math.round(3780 / px))));
}
