// Measuring a piece: its three elevations, and a picture that lies on it, on
// which two points are clicked; what the distance between them really is gives
// the size. Points snap to corners, edges and extremes of the silhouettes. The
// same clicks put the pivot.
import { make } from "./svg.js";
import { stores } from "./stores.js";

// loops are the corners of an SVG path of straight lines, by loop.
function loops(d) {
  return (d || "")
    .split("M")
    .slice(1)
    .map((s) =>
      s
        .replace("Z", "")
        .split("L")
        .map((p) => p.trim().split(/[ ,]+/).map(Number)),
    );
}

// moved reads "translate(x y) rotate(d) scale(kx ky)", of which the last two
// may be missing, as the way of a point.
function moved(t) {
  const read = (name) =>
    (t || "")
      .match(new RegExp(`${name}\\(([^)]*)\\)`))?.[1]
      .trim()
      .split(/[ ,]+/)
      .map(Number) || [];
  const [x = 0, y = 0] = read("translate"),
    [deg = 0] = read("rotate"),
    [kx = 1, ky = kx] = read("scale"),
    s = Math.sin((deg * Math.PI) / 180),
    c = Math.cos((deg * Math.PI) / 180);
  return (p) => [c * p[0] * kx - s * p[1] * ky + x, s * p[0] * kx + c * p[1] * ky + y];
}

// elevations are what is drawn: name, loops in metres (y down), what the axes
// are, and which point of the piece a point on them is, as far as it tells.
function elevations(p, paths) {
  const { min, max } = p.box,
    o = p.outline;
  return [
    {
      name: "front",
      path: paths?.front,
      move: o.front,
      x: [min.x, max.x],
      y: [-max.y, -min.y],
      point: (q) => ({ x: q[0], y: -q[1], z: 0 }),
    },
    {
      name: "right",
      path: paths?.right,
      move: o.right,
      x: [-max.z, -min.z],
      y: [-max.y, -min.y],
      point: (q) => ({ x: 0, y: -q[1], z: -q[0] }),
    },
    {
      name: "top",
      path: paths?.top,
      move: o.top,
      x: [min.x, max.x],
      y: [min.z, max.z],
      point: (q) => ({ x: q[0], y: 0, z: q[1] }),
    },
  ]
    .map(({ name, path, move, x, y, point }) => {
      const to = moved(move),
        list = loops(path).map((l) => l.map(to)),
        all = list.flat();
      if (!all.length) return null;
      // Silhouettes are traced to a cell, and the piece's own bounds are exact;
      // but what maps cut out ends before them.
      const cell = 0.012 * Math.max(x[1] - x[0], y[1] - y[0]);
      const fit = (k, lo, hi) => {
        let a = Infinity,
          b = -Infinity;
        for (const q of all) {
          a = Math.min(a, q[k]);
          b = Math.max(b, q[k]);
        }
        if (Math.abs(a - lo) > cell || Math.abs(b - hi) > cell) return (v) => v;
        return (v) => (b > a ? lo + ((v - a) / (b - a)) * (hi - lo) : lo);
      };
      const fx = fit(0, x[0], x[1]),
        fy = fit(1, y[0], y[1]);
      return {
        name,
        point,
        loops: list.map((l) => l.map((q) => [fx(q[0]), fy(q[1])])),
        x0: x[0],
        x1: x[1],
        y0: y[0],
        y1: y[1],
        px: 0, // pixels a metre and where it lies, once it is arranged
        ox: 0,
        oy: 0,
      };
    })
    .filter(Boolean);
}

// snap takes a point in metres to a corner, an edge or an extreme within reach.
function snap(e, q, reach) {
  let best = { at: q, how: "free", d: reach };
  const take = (at, how, bonus = 1) => {
    const d = Math.hypot(at[0] - q[0], at[1] - q[1]) * bonus;
    if (d < best.d) best = { at, how, d };
  };
  for (const l of e.loops) {
    for (let i = 0; i < l.length; i++) {
      const a = l[i],
        b = l[(i + 1) % l.length],
        dx = b[0] - a[0],
        dy = b[1] - a[1],
        n = dx * dx + dy * dy;
      take(a, "corner", 0.6);
      if (n > 0) {
        const t = Math.min(Math.max(((q[0] - a[0]) * dx + (q[1] - a[1]) * dy) / n, 0), 1);
        take([a[0] + t * dx, a[1] + t * dy], "edge");
      }
    }
  }
  for (const x of [e.x0, e.x1]) if (Math.abs(x - q[0]) < reach * 0.5) take([x, q[1]], "extreme", 0.8);
  for (const y of [e.y0, e.y1]) if (Math.abs(y - q[1]) < reach * 0.5) take([q[0], y], "extreme", 0.8);
  return best;
}

// arrange puts front and right side by side and top beneath, in one scale, and
// the picture at the right in its own.
function arrange(list, pattern, w, h) {
  const of = (n) => list.find((e) => e.name === n),
    front = of("front"),
    right = of("right"),
    top = of("top");
  const pad = 46,
    gap = 64,
    side = pattern ? Math.min(250, w * 0.3) : 0,
    room = w - side;
  const wide = front.x1 - front.x0,
    tall = front.y1 - front.y0,
    deep = top ? top.y1 - top.y0 : 0,
    also = right ? right.x1 - right.x0 : 0;
  const px = Math.min(
    (room - 2 * pad - gap - 90) / (wide + also || 1),
    (h - 2 * pad - gap - 40) / (tall + deep || 1),
  );
  const x0 = Math.max(pad + 40, (room - (wide + also) * px - (right ? gap : 0)) / 2),
    y0 = pad + 26;
  const at = (e, x, y) => Object.assign(e, { px, ox: x - e.x0 * px, oy: y - e.y0 * px });
  at(front, x0, y0);
  if (right) at(right, x0 + wide * px + gap, y0);
  if (top) at(top, x0, y0 + tall * px + gap);
  if (!pattern) return;
  const k = Math.min((side - 40) / pattern.width, (h - 2 * pad - 60) / pattern.height);
  list.push({
    name: "picture",
    loops: [],
    x0: 0,
    y0: 0,
    x1: pattern.width,
    y1: pattern.height,
    px: k,
    ox: w - side + 10,
    oy: y0,
    pattern,
  });
}

const ink = "#161616",
  text = (x, y, s, a = {}) => make("text", { x, y, "font-size": 12, fill: ink, ...a }, s);

function drawElevation(e, v) {
  const l = e.ox + e.x0 * e.px,
    r = e.ox + e.x1 * e.px,
    t = e.oy + e.y0 * e.px,
    b = e.oy + e.y1 * e.px;
  const g = make("g", {
    "data-elevation": e.name,
    role: "img",
    "aria-label": e.pattern ? `picture on ${e.pattern.surface}` : `${e.name} elevation`,
  });
  if (e.pattern) {
    g.append(
      make("image", {
        href: `/blobs/${e.pattern.picture}?as=png`,
        x: l,
        y: t,
        width: r - l,
        height: b - t,
        preserveAspectRatio: "none",
      }),
      make("rect", { x: l, y: t, width: r - l, height: b - t, fill: "none", stroke: "#4a4a4a" }),
    );
  } else {
    g.append(
      make("path", {
        d: e.loops.map((q) => `M${q.map((s) => `${e.ox + s[0] * e.px} ${e.oy + s[1] * e.px}`).join("L")}Z`).join(""),
        fill: "#dedede",
        stroke: "#4a4a4a",
        "stroke-width": 1,
        "fill-rule": "evenodd",
      }),
    );
    if (e.name !== "top")
      g.append(make("line", { x1: l - 18, x2: r + 18, y1: b, y2: b, stroke: ink, "stroke-width": 2 }));
    // The pivot: a ring on a foot.
    const x = e.ox,
      y = e.oy;
    if (stores.size.pivoting)
      g.append(
        make("path", {
          d: `M${x - 9} ${y}h18M${x} ${y - 9}v18M${x + 5} ${y}a5 5 0 1 0 -10 0a5 5 0 1 0 10 0`,
          stroke: ink,
          fill: "none",
          "data-pivot": "",
        }),
        text(x + 10, y - 8, "pivot", { "font-size": 11, class: "halo" }),
      );
  }
  g.append(text(l, t - 22, e.pattern ? `picture on ${e.pattern.surface}` : e.name, { "font-weight": 600 }));
  // Its own dimensions, as on a survey.
  g.append(
    make("path", { d: `M${l} ${t - 8}H${r}M${l} ${t - 12}v8M${r} ${t - 12}v8`, stroke: ink, fill: "none" }),
    text((l + r) / 2, e.pattern ? t + 16 : t - 12, v.length(e.x1 - e.x0), {
      "text-anchor": "middle",
      "font-size": 11,
      class: "n halo",
    }),
  );
  if (e.name === "front" || e.name === "top")
    g.append(
      make("path", { d: `M${l - 10} ${t}V${b}M${l - 14} ${t}h8M${l - 14} ${b}h8`, stroke: ink, fill: "none" }),
      text(l - 16, (t + b) / 2 + 4, v.length(e.y1 - e.y0), { "text-anchor": "end", "font-size": 11, class: "n" }),
    );
  return g;
}

export function drawMeasure(svg, v) {
  const box = svg.getBoundingClientRect(),
    w = box.width,
    h = box.height,
    p = stores.size.sized && v.now.pieces.find((q) => q.id === v.piece);
  if (w < 2 || !p) return;
  const m = stores.size.measured,
    list = elevations(p, v.shapes.of(p));
  // Points are of one piece in one size.
  const key = [p.id, p.outline.front, p.outline.top, stores.size.pattern?.width, stores.size.pattern?.surface].join();
  if (m.key !== key) {
    Object.assign(m, { key, points: [], on: "", hover: null, length: 0 });
    if (stores.size.measuredLength) stores.size.measuredLength = 0;
  }
  m.list = list;
  svg.replaceChildren();
  if (!list.some((e) => e.name === "front")) return;
  arrange(list, stores.size.pattern, w, h);
  for (const e of list) svg.append(drawElevation(e, v));
  const at = (name, q) => {
    const e = list.find((x) => x.name === name);
    return e && [e.ox + q[0] * e.px, e.oy + q[1] * e.px];
  };
  const pts = m.points.map((q) => at(m.on, q)).filter(Boolean),
    [a, b] = pts;
  if (b) {
    for (const s of [
      { stroke: "#fff", "stroke-width": 4, opacity: 0.7 },
      { stroke: ink, "stroke-width": 2 },
    ])
      svg.append(make("path", { d: `M${a}L${b}`, ...s }));
    svg.append(
      text((a[0] + b[0]) / 2 + 8, (a[1] + b[1]) / 2 - 8, v.length(m.length), {
        class: "n halo",
        "font-weight": 600,
        "data-measured": "",
      }),
    );
  }
  for (const q of pts)
    svg.append(make("path", { d: `M${q[0] - 6} ${q[1]}h12M${q[0]} ${q[1] - 6}v12`, stroke: ink, "stroke-width": 2 }));
  const q = m.hover && at(m.hover.on, m.hover.at);
  if (q)
    svg.append(
      make("circle", {
        cx: q[0],
        cy: q[1],
        r: 6,
        fill: "none",
        stroke: ink,
        "stroke-width": 1.5,
        "pointer-events": "none",
      }),
      text(q[0] + 10, q[1] + 16, m.hover.how, { "font-size": 11, class: "halo", "pointer-events": "none" }),
    );
  if (!svg.dataset.wired) wire(svg, v);
}

// find gives the elevation under a place on the sheet, and the point on it.
function find(m, x, y) {
  const near = (m.list || [])
    .map((e) => {
      const q = [(x - e.ox) / e.px, (y - e.oy) / e.px];
      return { e, q, d: Math.max(e.x0 - q[0], q[0] - e.x1, e.y0 - q[1], q[1] - e.y1, 0) * e.px };
    })
    .sort((a, b) => a.d - b.d)[0];
  if (!near || near.d > 24) return null;
  if (near.e.pattern)
    return {
      on: "picture",
      at: [Math.min(Math.max(near.q[0], 0), near.e.x1), Math.min(Math.max(near.q[1], 0), near.e.y1)],
      how: "",
    };
  const s = snap(near.e, near.q, 12 / near.e.px);
  return { on: near.e.name, at: s.at, how: s.how };
}

// wire takes the pointer, and for who has none arrows and Enter; once.
function wire(svg, v) {
  svg.dataset.wired = "yes";
  const m = stores.size.measured;
  let cursor = null;
  const point = (x, y) => {
    const f = find(m, x, y);
    if (!f) return;
    if (stores.size.pivoting) {
      if (f.on !== "picture") stores.size.pivotAt(m.list.find((e) => e.name === f.on).point(f.at));
      return;
    }
    if (m.points.length !== 1 || m.on !== f.on) m.points = [];
    m.on = f.on;
    m.points.push(f.at);
    m.length =
      m.points.length === 2 ? Math.hypot(m.points[0][0] - m.points[1][0], m.points[0][1] - m.points[1][1]) : 0;
    stores.size.measuredLength = m.length;
    stores.size.measuredOn = m.on;
    drawMeasure(svg, v);
  };
  svg.addEventListener("pointermove", (e) => {
    const r = svg.getBoundingClientRect();
    cursor = [e.clientX - r.left, e.clientY - r.top];
    m.hover = find(m, ...cursor);
    drawMeasure(svg, v);
  });
  svg.addEventListener("pointerleave", () => {
    m.hover = null;
    drawMeasure(svg, v);
  });
  // What was pressed may be drawn anew before it is let go: that is no click of the page's
  // then, but it is one of the hand's.
  let down = null;
  svg.addEventListener("pointerdown", (e) => {
    down = e.button ? null : e;
  });
  svg.addEventListener("pointerup", (e) => {
    if (!down || e.pointerId !== down.pointerId || Math.hypot(e.clientX - down.clientX, e.clientY - down.clientY) > 5)
      return;
    const r = svg.getBoundingClientRect();
    down = null;
    point(e.clientX - r.left, e.clientY - r.top);
  });
  svg.addEventListener("keydown", (e) => {
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key],
      front = m.list?.[0];
    if (!front || (!way && e.key !== "Enter")) return;
    e.preventDefault();
    e.stopPropagation();
    cursor ||= [front.ox + front.x0 * front.px, front.oy + front.y1 * front.px];
    const k = e.shiftKey ? 40 : 4;
    if (way) {
      cursor[0] += way[0] * k;
      cursor[1] += way[1] * k;
      m.hover = find(m, ...cursor);
      drawMeasure(svg, v);
    } else point(...cursor);
  });
}
