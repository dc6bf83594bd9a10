// The depth strip: a logarithmic ruler from the lens to beyond the far plane. What
// the lens sees stands on it as bars, as tall as in the picture.
import { make } from "./svg.js";
import { pull } from "./drag.js";
import { active } from "./focus.js";
import { stores } from "./stores.js";

export class Strip {
  __v_skip = true; // not watched by the page's store

  constructor(svg, v) {
    this.svg = svg;
    this.v = v;
    svg.addEventListener("pointerdown", (e) => this.press(e));
    svg.addEventListener("pointermove", (e) => {
      if (!e.buttons) stores.film.setHover(e.target.closest("[data-bar]")?.dataset.bar || "");
    });
    svg.addEventListener("pointerleave", () => stores.film.setHover(""));
    svg.addEventListener("keydown", (e) => this.key(e));
  }
  // view is the lens at the time of the move, or as it is while a handle is pulled.
  get view() {
    const v = this.v.now.set.view,
      at = stores.film.raw.view;
    return stores.film.moveNow && at?.near
      ? {
          ...at,
          near: v.near,
          far: v.far,
          focus:
            this.v.now.set.move.pulls?.length || v.focusOn || this.v.now.set.move.keys?.length ? at.focus : v.focus,
        }
      : v;
  }
  get lo() {
    return Math.min(0.1, this.v.now.set.view.near);
  }
  get hi() {
    return Math.max(100, (stores.film.raw.fit.lastAt || 0) * 1.6, this.v.now.set.view.far * 1.4);
  }
  x(m) {
    return 16 + (this.w - 32) * (Math.log(Math.max(m, this.lo) / this.lo) / Math.log(this.hi / this.lo));
  }
  metres(x) {
    return this.lo * Math.exp(((x - 16) / (this.w - 32)) * Math.log(this.hi / this.lo));
  }
  // bars are what is drawn: what lies in the picture, is cut or selected, each
  // by itself; copies of one piece, when there are many, as one bar.
  bars() {
    const out = [],
      many = new Map();
    for (const b of stores.film.raw.bars) {
      const on = this.v.sel.includes(b.id);
      if (!b.span.seen && !b.cut && !on) continue;
      const piece = on || b.cut ? "" : this.v.now.placements.find((p) => p.id === b.id)?.piece;
      if (!piece) out.push(b);
      else many.set(piece, [...(many.get(piece) || []), b]);
    }
    for (const [piece, list] of many) {
      if (list.length < 5) {
        out.push(...list);
        continue;
      }
      const span = { ...list[0].span },
        all = { near: list[0].near, far: list[0].far };
      for (const b of list) {
        span.near = Math.min(span.near, b.span.near);
        span.far = Math.max(span.far, b.span.far);
        span.height = Math.max(span.height, b.span.height);
        all.near = Math.min(all.near, b.near);
        all.far = Math.max(all.far, b.far);
      }
      out.push({
        id: list[0].id,
        name: `${this.v.now.pieces.find((p) => p.id === piece)?.name}, ${list.length}`,
        span,
        cut: "",
        ...all,
      });
    }
    return out;
  }
  draw() {
    const st = this.v.now,
      box = this.svg.getBoundingClientRect(),
      s = this.svg,
      fr = stores.film.raw;
    this.w = box.width;
    this.h = box.height;
    if (!st || this.w < 2) return;
    const view = this.view,
      base = this.h - 34,
      top = 34,
      line = "var(--line)",
      soft = "var(--soft)",
      ink = "var(--ink)";
    const held = active()?.dataset?.handle;
    s.replaceChildren();
    const defs = make("defs"),
      hatch = make("pattern", {
        id: "hatch",
        width: 6,
        height: 6,
        patternUnits: "userSpaceOnUse",
        patternTransform: "rotate(45)",
      });
    hatch.append(
      make("rect", { width: 6, height: 6, fill: "var(--field)" }),
      make("line", { x1: 0, y1: 0, x2: 0, y2: 6, stroke: "var(--snag)", "stroke-width": 3 }),
    );
    defs.append(hatch);
    s.append(defs);
    const lens = fr.lens.sharpNear && stores.film.moveNow ? fr.lens : st.lens,
      sharpFar = lens.sharpFar ?? this.hi;
    s.append(
      make("rect", {
        x: this.x(lens.sharpNear),
        width: Math.max(this.x(sharpFar) - this.x(lens.sharpNear), 1),
        y: top,
        height: base - top,
        fill: "#d6e935",
        "fill-opacity": 0.16,
        "data-sharp": "",
      }),
    );
    s.append(make("line", { x1: 16, x2: this.w - 16, y1: base, y2: base, stroke: soft }));
    this.ruler(base, soft, ink);
    this.steps(base, soft);
    this.air(top, base, soft);
    const labelled = [],
      moving = Boolean(stores.film.moveNow);
    for (const b of this.bars().sort((p, q) => q.span.height - p.span.height)) {
      const x = this.x(b.span.near),
        w = Math.max(this.x(b.span.far) - x, 3),
        h = Math.max(b.span.height * (base - top - 12), 4),
        on = this.v.sel.includes(b.id);
      const g = make("g", { "data-bar": b.id, "data-cut": b.cut || null, style: "cursor:pointer" });
      const cut =
        b.cut === "both"
          ? ", cut by both planes"
          : b.cut
            ? `, cut by the ${b.cut} plane`
            : b.span.seen
              ? ""
              : ", outside of the picture";
      g.append(
        make(
          "title",
          {},
          `${b.name}${b.count > 1 ? `, ${b.count}` : ""}: ${this.v.distance(b.span.near)} to ` +
            this.v.distance(b.span.far) +
            (b.left < 0.995 ? `, the air leaves it ${Math.round(100 * b.left)} % of its contrast` : "") +
            (moving ? `, over the move ${this.v.distance(b.near)} to ${this.v.distance(b.far)}` : "") +
            cut,
        ),
      );
      if (moving && (b.near < b.span.near * 0.98 || b.far > b.span.far * 1.02))
        g.append(
          make("rect", {
            x: this.x(b.near),
            width: Math.max(this.x(b.far) - this.x(b.near), 1),
            y: base - h,
            height: h,
            fill: "none",
            stroke: soft,
            "stroke-dasharray": "2 3",
            "data-whole": "",
          }),
        );
      g.append(
        make("rect", {
          x,
          y: base - h,
          width: w,
          height: h,
          fill: b.cut ? "url(#hatch)" : on ? "#d6e935" : b.kind === "stand-in" ? "none" : "#8a8a8a",
          "fill-opacity": b.span.seen ? (on ? 0.9 : 0.5) : 0.15,
          stroke: b.cut ? "var(--snag)" : b.span.seen ? soft : line,
          "stroke-width": 1,
          "stroke-dasharray": b.kind === "card" ? "5 2" : null,
          "pointer-events": "all",
        }),
      );
      s.append(g);
      // A name stands over its bar, or as far above it as is free.
      const lx = Math.min(x + 2, this.w - 90),
        wide = b.name.length * 5.2 + 6;
      let ly = Math.max(base - h - 4, top + 8);
      const taken = () => labelled.some(([qx, qy, qw]) => lx < qx + qw && qx < lx + wide && Math.abs(qy - ly) < 11);
      for (let n = 0; n < 3 && taken() && ly - 11 > top; n++) ly -= 11;
      if (b.span.seen && (on || (h > 7 && !taken()))) {
        labelled.push([lx, ly, wide]);
        s.append(
          make(
            "text",
            {
              x: lx,
              y: ly,
              "font-size": 11,
              fill: on ? "var(--color-act)" : ink,
              style: "pointer-events:none",
              stroke: "var(--sheet)",
              "stroke-width": 3,
              "paint-order": "stroke",
            },
            b.name,
          ),
        );
      }
    }
    this.flickers(base);
    const near = fr.fit.cutNear || 0,
      far = fr.fit.cutFar || 0,
      meant = st.set.view.cutMeant ? ", on purpose" : "";
    const words = [near && `${near} cut by the near plane`, far && `${far} cut by the far plane`]
      .filter(Boolean)
      .join(", ");
    if (words)
      s.append(
        make(
          "text",
          {
            x: this.w - 20,
            y: top + 12,
            "text-anchor": "end",
            "font-size": 12,
            fill: meant ? soft : "var(--snag)",
            "data-cuts": "",
          },
          words + meant,
        ),
      );
    this.handle("near", view.near, "near", ink);
    this.handle("far", view.far, "far", ink);
    this.handle("focus", view.focus, "focus", "#d6e935");
    if (fr.figures.sky > 0.001)
      s.append(
        make(
          "text",
          {
            x: this.w - 18,
            y: base - 6,
            "text-anchor": "end",
            "font-size": 11,
            fill: soft,
            stroke: "var(--sheet)",
            "stroke-width": 3,
            "paint-order": "stroke",
            style: "pointer-events:none",
          },
          `sky ${stores.film.share(fr.figures.sky)}`,
        ),
      );
    this.mark();
    if (held) s.querySelector(`[data-handle=${held}]`)?.focus();
  }
  ruler(base, soft, ink) {
    const feet = this.v.feet,
      one = feet ? 0.3048 : 1,
      s = this.svg;
    for (let d = Math.pow(10, Math.floor(Math.log10(this.lo / one))); d * one <= this.hi; d *= 10)
      for (const k of [1, 2, 5]) {
        const m = d * k * one,
          x = this.x(m);
        if (m < this.lo || m > this.hi) continue;
        s.append(make("line", { x1: x, x2: x, y1: base, y2: base + (k === 1 ? 7 : 4), stroke: soft }));
        const label = feet
          ? `${+(d * k).toFixed(3)}${k === 1 ? " ft" : ""}`
          : m >= 1000
            ? +(m / 1000).toFixed(3) + " km"
            : k === 1
              ? +m.toFixed(4) + " m"
              : +m.toFixed(4);
        s.append(
          make(
            "text",
            { x, y: base + 17, "text-anchor": "middle", "font-size": 11, class: "n", fill: k === 1 ? ink : soft },
            label,
          ),
        );
      }
  }
  // air is how much of the contrast the air leaves, from all of it above to nothing at the ruler.
  air(top, base, soft) {
    const left = (this.v.now.lightNow.air.left || []).filter((p) => p[0] >= this.lo && p[0] <= this.hi);
    if (left.length < 2) return;
    const y = (share) => base - share * (base - top);
    const d = left.map((p, i) => `${i ? "L" : "M"}${this.x(p[0]).toFixed(1)} ${y(p[1]).toFixed(1)}`).join("");
    this.svg.append(make("path", { d, fill: "none", stroke: soft, "stroke-dasharray": "2 3", "data-air": "" }));
    const i = left.findIndex((p) => p[1] < 0.5);
    if (i < 0) return;
    const label = { x: this.x(left[i][0]) + 4, y: y(left[i][1]) - 3, "font-size": 11, fill: soft };
    this.svg.append(make("text", label, `air leaves ${Math.round(100 * left[i][1])} %`));
  }
  // steps say how much the depth buffer tells apart along the strip.
  steps(base, soft) {
    const list = stores.film.raw.fit.steps || [],
      s = this.svg,
      y = base + 31;
    let last = -100;
    s.append(make("text", { x: 16, y, "font-size": 11, fill: soft }, "buffer tells"));
    for (const want of [1e-5, 1e-4, 1e-3, 1e-2, 0.1, 1, 10, 100]) {
      const i = list.findIndex((q) => q.step >= want);
      if (i < 1) continue;
      const a = list[i - 1],
        b = list[i],
        t = Math.log(want / a.step) / Math.log(b.step / a.step),
        x = this.x(a.at * Math.pow(b.at / a.at, t));
      if (x < 90 || x - last < 60 || x > this.w - 30) continue;
      last = x;
      s.append(make("line", { x1: x, x2: x, y1: y - 10, y2: y - 7, stroke: soft }));
      s.append(
        make(
          "text",
          { x, y, "text-anchor": "middle", "font-size": 11, class: "n", fill: soft, "data-step": want },
          want >= 1 ? `${want} m` : want >= 0.01 ? `${want * 100} cm` : `${+(want * 1000).toFixed(3)} mm`,
        ),
      );
    }
  }
  flickers(base) {
    for (const f of stores.film.raw.flickers.slice(0, 6)) {
      const x = this.x(f.distance),
        g = make("g", { "data-flicker": f.ids.join(" "), style: "cursor:pointer" });
      g.append(
        make(
          "title",
          {},
          `${f.a} and ${f.b} will flicker: ${f.gap > 1e-6 ? this.v.distance(f.gap) + " apart" : "in one plane"} ` +
            `at ${this.v.distance(f.distance)}, where the buffer tells ${this.v.distance(f.step)}`,
        ),
      );
      g.append(
        make("path", {
          d: `M${x} ${base - 2}l-4 -7l8 0l-4 -7`,
          fill: "none",
          stroke: "var(--snag)",
          "stroke-width": 2,
        }),
        make("rect", { x: x - 6, y: base - 18, width: 12, height: 18, fill: "transparent" }),
      );
      this.svg.append(g);
    }
  }
  // mark shows what the pointer is over, wherever that is.
  mark() {
    for (const e of this.svg.querySelectorAll("[data-over]")) e.remove();
    const g = this.v.hover && this.svg.querySelector(`[data-bar="${this.v.hover}"] rect:last-child`);
    if (!g) return;
    const r = (k) => Number(g.getAttribute(k));
    this.svg.append(
      make("rect", {
        x: r("x") - 2,
        y: r("y") - 2,
        width: r("width") + 4,
        height: r("height") + 4,
        fill: "none",
        stroke: "var(--ink)",
        "stroke-dasharray": "2 2",
        "data-over": "",
        style: "pointer-events:none",
      }),
    );
    const b = stores.film.raw.bars.find((q) => q.id === this.v.hover);
    if (b)
      this.svg.append(
        make(
          "text",
          {
            x: Math.min(r("x"), this.w - 160),
            y: 46,
            "font-size": 12,
            fill: "var(--ink)",
            stroke: "var(--sheet)",
            "stroke-width": 4,
            "paint-order": "stroke",
            "data-over": "",
            style: "pointer-events:none",
          },
          `${b.name} ${this.v.distance(b.span.near)} to ${this.v.distance(b.span.far)}`,
        ),
      );
  }
  handle(name, m, text, colour) {
    const x = this.x(m),
      right = x > this.w - 120 || name === "near",
      label = `${text} ${this.v.distance(m)}`,
      w = label.length * 7.2 + 10,
      y = name === "focus" ? 18 : 0,
      foot = this.h - 34;
    const g = make("g", {
      "data-handle": name,
      tabindex: 0,
      role: "slider",
      "aria-label": `${text} ${name === "focus" ? "distance" : "plane"}`,
      "aria-valuenow": m.toFixed(3),
      "aria-valuetext": this.v.distance(m),
      style: "cursor:ew-resize",
    });
    g.append(
      make("line", {
        x1: x,
        x2: x,
        y1: y,
        y2: foot,
        stroke: colour,
        "stroke-width": name === "focus" ? 1.5 : 2,
        "stroke-dasharray": name === "focus" ? "5 4" : null,
      }),
    );
    g.append(make("rect", { x: right ? Math.max(x - w, 0) : x, y, width: w, height: 17, fill: colour }));
    g.append(
      make(
        "text",
        {
          x: (right ? Math.max(x - w, 0) : x) + 5,
          y: y + 13,
          "font-size": 12,
          class: "n",
          fill: name === "focus" ? "#111" : "var(--desk)",
        },
        label,
      ),
    );
    g.append(make("rect", { x: x - 6, y, width: 12, height: foot - y, fill: "transparent" }));
    this.svg.append(g);
  }
  set(name, m) {
    const v = this.v.st.set.view,
      k = { near: "near", far: "far", focus: "focus" }[name];
    if (name === "near") m = Math.min(m, v.far * 0.98);
    if (name === "far") m = Math.max(m, v.near * 1.02);
    return { [k]: Math.min(Math.max(m, 0.001), 1e7), ...(name === "focus" ? { focusOn: "" } : {}) };
  }
  key(e) {
    const name = e.target.dataset?.handle,
      k = {
        ArrowRight: 1.02,
        ArrowUp: 1.02,
        ArrowLeft: 1 / 1.02,
        ArrowDown: 1 / 1.02,
        PageUp: 1.2,
        PageDown: 1 / 1.2,
      }[e.key];
    if (!name || !k) return;
    e.preventDefault();
    e.stopPropagation();
    stores.shoot.view(this.set(name, this.v.st.set.view[name] * k));
  }
  press(e) {
    const bar = e.target.closest("[data-bar]"),
      handle = e.target.closest("[data-handle]"),
      flicker = e.target.closest("[data-flicker]");
    if (flicker && !handle) {
      this.v.sel = flicker.dataset.flicker.split(" ");
      return this.v.draw();
    }
    if (!handle) return bar ? stores.dress.select(bar.dataset.bar, e.shiftKey) : undefined;
    const name = handle.dataset.handle,
      view = this.v.st.set.view,
      kept = { ...view },
      left = this.svg.getBoundingClientRect().left;
    handle.focus();
    let to = null;
    pull(
      this.svg,
      e,
      (m) => {
        to = this.set(name, this.metres(m.clientX - left));
        Object.assign(view, to);
        this.draw();
      },
      (moved) => {
        if (!to) return;
        Object.assign(view, { near: kept.near, far: kept.far, focus: kept.focus, focusOn: kept.focusOn });
        if (moved && to[name] !== kept[name]) stores.shoot.view(to);
        else this.draw();
      },
      0,
    );
  }
}
