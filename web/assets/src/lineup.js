// The line-up: silhouettes of all pieces at true relative size on one ground
// line, beside a person of 1.75 m and a staff. It is zoomed from a match to a
// mountain with the wheel, pulled along with the pointer, and put in order by
// size, suspicion or supplier; or every piece is as high as the others, with
// its size written. What is pulled along is moved as a whole: only what comes
// onto the sheet is drawn.
import { make } from "./svg.js";
import { pull } from "./drag.js";
import { heldBeside } from "./references.js";
import { active } from "./focus.js";
import { stores } from "./stores.js";

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
  const st = v.now,
    line = stores.size.line,
    snags = new Set(st.snags.filter((s) => s.step === "size").map((s) => s.id));
  const list = st.pieces.filter((p) =>
    line.which === "set" ? p.copies > 0 : !line.which || p.arrival === line.which,
  );
  const big = (p) => Math.max(p.size.x, p.size.y);
  list.sort((a, b) => big(a) - big(b));
  if (line.order === "suspicion")
    list.sort((a, b) => Number(snags.has(b.id)) - Number(snags.has(a.id)) || a.sizing.decided - b.sizing.decided);
  if (line.order === "supplier")
    list.sort((a, b) => (a.proposal?.group || "").localeCompare(b.proposal?.group || ""));
  return { list, snags };
}

// layout places everything along the ground, in metres from the left; each
// stands apart from its neighbours by a part of their widths. It is done anew
// only when something else is to be seen.
let laid = { st: null, key: "", all: [] };
function layout(v) {
  const line = stores.size.line,
    key = [line.order, line.which, line.equal, line.side].join();
  if (laid.st === v.now && laid.key === key) return laid.all;
  const { list, snags } = order(v);
  let x = 0,
    last = 0;
  const all = list.map((p) => {
    const [from, to, high, low] = seen[line.side](p, p.box),
      wide = Math.max(to - from, high * 0.05),
      k = line.equal ? 1 / (Math.max(high, wide * 0.6) || 1) : 1;
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
  if (stores.size.line.equal) return (h - 120) / 2.6;
  const tall = Math.max(chosen ? Math.max(chosen.high, chosen.wide * 0.6) : 2, 1e-4) * 1.3;
  return Math.min((h - 120) / Math.max(tall, Math.min(2.3, tall * 4)), chosen ? (0.45 * w) / chosen.wide : Infinity);
}

const text = (x, y, s, a = {}) => make("text", { x, y, "font-size": 12, fill: "#161616", ...a }, s);

// left draws the staff and what is held beside; it is done anew only when they
// change. Gives where the row begins.
function left(v, parts, w, ground) {
  const { px, equal } = stores.size.line,
    list = equal ? [] : heldBeside(v, ground / px);
  const key = JSON.stringify([px, equal, w, ground, v.unit, list]);
  if (parts.leftKey === key) return parts.edge;
  parts.leftKey = key;
  const back = [];
  let edge = 66;
  if (!equal) {
    const steps = v.feet
      ? [1 / 16, 0.25, 1, 6, 12, 60, 120, 600, 1200, 6000, 12000].map((k) => k * 0.0254)
      : [0.001, 0.005, 0.01, 0.05, 0.1, 0.5, 1, 5, 10, 50, 100, 500, 1000];
    const every = steps.find((k) => k * px >= 26) || 5 * steps.at(-1),
      most = Math.min(Math.floor(ground / (every * px)), 60);
    for (let i = 0; i <= most; i++) {
      const m = i * every,
        y = ground - m * px;
      back.push(
        make("line", { x1: 60, x2: w, y1: y, y2: y, stroke: "#b4b4b4" }),
        text(
          40,
          y + 4,
          m >= 1000 && !v.feet
            ? v.distance(m).replace(".0", "")
            : m < 0.01 && m && !v.feet
              ? `${+(m * 1000).toFixed(1)} mm`
              : v
                  .length(m)
                  .replace(/(\.\d*?)0+ /, "$1 ")
                  .replace(". ", " "),
          { "text-anchor": "end", "font-size": 11, class: "n" },
        ),
      );
      back.push(
        make("rect", { x: 44, y: y - (every * px) / 2, width: 10, height: (every * px) / 2, fill: "#161616" }),
      );
    }
    const held = make("g", { "data-beside": "" });
    for (const { name, wide, d, move, label } of list) {
      const pixels = Math.max(wide * px, 46);
      if (edge + pixels > w * 0.6) continue;
      const g = make("g", { transform: `translate(${edge + pixels / 2} ${ground}) scale(${px})` });
      g.append(make("path", { d: d || "", fill: "#8e8e8e", "fill-rule": "evenodd", transform: move || null }));
      held.append(
        g,
        text(edge + pixels / 2, ground + 20, name, { "text-anchor": "middle", fill: "#444" }),
        text(edge + pixels / 2, ground + 36, label, {
          "text-anchor": "middle",
          "font-size": 11,
          class: "n",
          fill: "#444",
        }),
      );
      edge += pixels + 12;
    }
    edge += 4;
    back.push(
      held,
      text(w - 14, 66, "1 : " + (px > 3780 ? (3780 / px).toFixed(3) : Math.round(3780 / px).toLocaleString("en")), {
        "text-anchor": "end",
        class: "n",
      }),
    );
  }
  parts.back.replaceChildren(
    ...back,
    make("line", { x1: 44, x2: w, y1: ground, y2: ground, stroke: "#161616", "stroke-width": 2 }),
  );
  parts.pane.style.left = `${edge}px`;
  return (parts.edge = edge);
}

// item is a piece in the drawing; it is kept while it is seen.
function item(p) {
  const g = make("g", { "data-piece": p.id, tabindex: 0, role: "button", style: "cursor:pointer" });
  const body = make("path", { "fill-rule": "evenodd" }),
    hit = make("rect", { fill: "transparent" }),
    words = make("g");
  g.append(body, hit, words);
  return { g, body, hit, words, said: "" };
}

// drawItem draws a piece with its middle at x.
function drawItem(v, it, a, x, ground) {
  const { px, side } = stores.size.line,
    on = a.p.id === v.piece,
    half = (a.wide * px) / 2,
    high = a.high * px;
  const small = half * 2 < 2 && high < 2,
    d = small ? `M${x - 1.5} ${ground - 3}h3v3h-3Z` : v.shapes.of(a.p)?.[side] || "";
  if (it.d !== d) it.body.setAttribute("d", (it.d = d));
  it.body.setAttribute("fill", inkOf(a.odd, on));
  it.body.setAttribute(
    "transform",
    small
      ? ""
      : `translate(${x - a.mid * a.k * px} ${ground + a.low * a.k * px}) scale(${a.k * px}) ${a.p.outline[side]}`,
  );
  const tall = Math.min(Math.max(high, 10), ground);
  for (const [k, n] of [
    ["x", x - Math.max(half, 5)],
    ["y", ground - tall],
    ["width", Math.max(2 * half, 10)],
    ["height", tall],
  ])
    it.hit.setAttribute(k, n);
  it.words.setAttribute("transform", `translate(${x} ${ground})`);
  say(v, it, a, on, half, high);
}

// say writes under a piece, from its middle on the ground: name, size, supplier,
// and the brackets of the chosen one.
function say(v, it, a, on, half, high) {
  const line = stores.size.line,
    named = on || a.named,
    size = named && (on || line.equal || 2 * half > 84),
    ink = a.odd ? "#8c2a12" : "#161616";
  const key = [
    a.p.name,
    a.p.size.x,
    a.p.size.y,
    a.p.size.z,
    a.odd,
    named,
    size,
    a.group,
    on ? half : "",
    on ? high : "",
    v.unit,
    line.equal,
    line.side,
  ].join("|");
  if (it.said === key) return;
  it.said = key;
  it.g.setAttribute("aria-label", `${a.p.name}, ${v.size(a.p.size)}${a.odd ? ", snag" : ""}`);
  it.words.replaceChildren();
  if (named)
    it.words.append(
      text(0, 20, (a.odd ? "△ " : "") + a.p.name, {
        "text-anchor": "middle",
        fill: ink,
        "font-weight": on ? 600 : 400,
        class: on ? "halo" : null,
      }),
    );
  if (size)
    it.words.append(
      text(
        0,
        36,
        line.equal
          ? v.distance(Math.max(a.p.size.x, a.p.size.y, a.p.size.z))
          : `${v.length(line.side === "right" ? a.p.size.z : a.p.size.x)} × ` +
              `${v.length(line.side === "top" ? a.p.size.z : a.p.size.y)}`,
        { "text-anchor": "middle", "font-size": 11, class: on ? "n halo" : "n", fill: ink },
      ),
    );
  if (a.group) it.words.append(text(-half, 54, `${a.group} ▸`, { "font-size": 11, fill: "#444" }));
  if (!on) return;
  const hw = Math.max(half, 8) + 6,
    k = 10;
  for (const [sx, y, dy] of [
    [-1, -high - 6, 1],
    [1, -high - 6, 1],
    [-1, 4, -1],
    [1, 4, -1],
  ])
    it.words.append(
      make("path", {
        d: `M${sx * hw} ${y + dy * k}V${y}H${sx * (hw - k)}`,
        fill: "none",
        stroke: "#161616",
        "stroke-width": 2.5,
      }),
    );
}

// name says which pieces are named at this scale: those whose names do not meet.
function name(v, all) {
  let last = -Infinity,
    group = "";
  for (const a of all) {
    const x = a.at * stores.size.line.px,
      words = a.p.name.length * 3.1;
    a.named = x - words > last || a.p.id === v.piece;
    if (a.named) last = x + words + 8;
    a.group = "";
    if (stores.size.line.order === "supplier" && a.p.proposal?.group !== group)
      a.group = group = a.p.proposal?.group || "";
  }
}

const wide = 20000; // pixels to both sides that are drawn ahead: more than a hand pulls before it rests

// row puts onto the sheet what belongs there: all anew when the scale or a piece
// changed, else what has come near; and moves it to where it was pulled. While
// the hand rests what lies farther off is drawn ahead, so that pulling moves
// what is there and draws nothing.
function row(v, parts, all, w, ground, key) {
  const line = stores.size.line,
    px = line.px,
    fresh = parts.rowKey !== key || parts.all !== all || Math.abs(line.x - parts.base) * px > wide - 2 * w;
  if (fresh) {
    parts.ahead = false;
    parts.rowKey = key;
    parts.all = all;
    parts.base = line.x;
    name(v, all);
  }
  const off = (line.x - parts.base) * px,
    there = new Set(),
    from = parts.ahead ? -wide : off - 0.6 * w,
    to = parts.ahead ? wide : off + 1.6 * w;
  clearTimeout(parts.rest);
  if (!parts.ahead)
    parts.rest = setTimeout(() => {
      parts.ahead = true;
      drawLineup(parts.sheet, v);
    }, 120);
  let chosen = null;
  for (const a of all) {
    const x = (a.at - parts.base) * px,
      half = (a.wide * px) / 2;
    if (x + half < from || x - half > to) continue;
    let it = parts.items.get(a.p.id);
    const come = !it;
    if (come) parts.items.set(a.p.id, (it = item(a.p)));
    if (come || fresh) drawItem(v, it, a, x, ground);
    if (come) parts.row.append(it.g);
    there.add(a.p.id);
    if (a.p.id === v.piece) chosen = it.g;
  }
  for (const [id, it] of parts.items)
    if (!there.has(id)) {
      it.g.remove();
      parts.items.delete(id);
    }
  if (fresh) {
    // in their order for Tab; the words of the chosen one lie over those of its neighbours
    const held = parts.row.contains(document.activeElement) && active();
    parts.row.replaceChildren(
      ...all.filter((a) => there.has(a.p.id) && a.p.id !== v.piece).map((a) => parts.items.get(a.p.id).g),
      ...(chosen ? [chosen] : []),
    );
    if (held) held.focus({ preventScroll: true });
  }
  parts.row.style.transform = `translateX(${-off}px)`;
}

export function drawLineup(sheet, v) {
  const box = sheet.getBoundingClientRect(),
    w = box.width,
    h = box.height;
  if (w < 2 || !v.now) return;
  const parts = (sheet.parts ||= setUp(sheet, v));
  const all = layout(v),
    line = stores.size.line,
    ground = h - 62,
    chosen = all.find((a) => a.p.id === v.piece);
  const key = [v.piece, line.order, line.equal, line.side, line.which, w].join();
  const fresh = parts.key !== key || !line.px; // another piece, or the first time: it gives the scale
  parts.key = key;
  if (fresh) line.px = scaleTo(v, chosen, w, h);
  const edge = (line.edge = left(v, parts, w, ground));
  if (parts.still) line.x = parts.still.m - (parts.still.at - edge) / line.px;
  parts.still = null;
  if (fresh) {
    // the chosen one is on the sheet, with room for what is smaller at its left
    const room = w - edge,
      half = chosen ? chosen.wide / 2 : 0;
    line.x = chosen
      ? Math.max(
          Math.min(chosen.at - (0.55 * room) / line.px, chosen.at - half),
          chosen.at + half + (40 - room) / line.px,
        )
      : 0;
  }
  row(v, parts, all, w - edge, ground, [v.piece, line.px, ground, v.unit, v.shapes.version].join());
}

// setUp takes the pointer and the keys; once.
function setUp(sheet, v) {
  const find = (name) => sheet.querySelector(`[data-${name}]`);
  const parts = {
    sheet,
    back: find("back"),
    pane: find("pane"),
    row: find("row"),
    items: new Map(),
    key: "",
    leftKey: "",
    rowKey: "",
    all: null,
    base: 0,
    edge: 0,
  };
  let frame = 0;
  const again = () => {
    frame ||= requestAnimationFrame(() => {
      frame = 0;
      drawLineup(sheet, v);
    });
  };
  const zoom = (f, at) => {
    const l = stores.size.line,
      px = Math.min(Math.max(l.px * f, 0.002), 60000),
      m = l.x + (at - l.edge) / l.px; // a mountain range to a pin
    l.x = m - (at - l.edge) / px;
    l.px = px;
    parts.still = { m, at }; // what is under the pointer stays there, though what is held beside grows
    again();
  };
  const choose = (id) => {
    if (!id) return;
    parts.key = parts.key.replace(/^[^,]*/, id);
    stores.size.choosePiece(id);
  };
  sheet.addEventListener(
    "wheel",
    (e) => {
      e.preventDefault();
      if (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY)) {
        stores.size.line.x += (e.deltaX || e.deltaY) / stores.size.line.px;
        again();
      } else zoom(Math.exp(-e.deltaY * 0.0015), e.clientX - sheet.getBoundingClientRect().left);
    },
    { passive: false },
  );
  sheet.addEventListener("pointerdown", (e) => {
    const from = stores.size.line.x,
      id = e.target.closest("[data-piece]")?.dataset.piece;
    pull(
      sheet,
      e,
      (m) => {
        stores.size.line.x = from - (m.clientX - e.clientX) / stores.size.line.px;
        again();
      },
      (moved) => {
        if (moved === null) {
          stores.size.line.x = from;
          again();
        } else if (!moved) choose(id);
      },
    );
  });
  sheet.addEventListener("focusin", (e) => {
    // what Tab comes to is brought onto the sheet
    parts.pane.scrollLeft = 0;
    const id = e.target.closest("[data-piece]")?.dataset.piece,
      a = parts.all?.find((q) => q.p.id === id),
      l = stores.size.line,
      w = parts.pane.clientWidth;
    if (!a || ((a.at - l.x) * l.px > 0 && (a.at - l.x) * l.px < w)) return;
    l.x = a.at - w / 2 / l.px;
    again();
  });
  sheet.addEventListener("keydown", (e) => {
    const id = e.target.closest?.("[data-piece]")?.dataset.piece;
    if ((e.key === "Enter" || e.key === " ") && id) {
      e.preventDefault();
      choose(id);
      sheet.querySelector(`[data-piece="${id}"]`)?.focus();
    }
    if (e.key === "+" || e.key === "-") {
      e.preventDefault();
      e.stopPropagation();
      zoom(e.key === "+" ? 1.4 : 1 / 1.4, sheet.clientWidth / 2);
    }
  });
  stores.size.line.zoom = (f) => zoom(f, sheet.clientWidth / 2);
  stores.size.line.fit = () => {
    stores.size.line.px = 0;
    drawLineup(sheet, v);
  };
  return parts;
}
