// What lies over the lens view: the frame, dimensions, snags, what a figure tells of.
import { Matrix4, Vector3 } from "three";
import { guides, letterbox } from "./guides.js";
import { drawMatch } from "./match.js";
import { rays } from "./elements.js";
import { number } from "./print.js";
import { stores } from "./stores.js";

export const marked = (View) =>
  class extends View {
    // marks dims what is outside of the frame and draws brackets with dimensions.
    marks(f) {
      const dim = stores.film.trueCovers ? 1 : 0.62; // what the true view is not of is not kept up beneath it
      let s =
        `<path fill-rule='evenodd' fill='#161616' fill-opacity='${dim}' d='M0 0H${f.bw}V${f.bh}H0ZM${f.x} ` +
        `${f.y}v${f.h}h${f.w}v${-f.h}Z'/>`;
      s += `<rect x='${f.x}' y='${f.y}' width='${f.w}' height='${f.h}' fill='none' stroke='#fff'/>`;
      const view = this.v.now.set.view,
        fr = stores.film.raw;
      s +=
        letterbox(view.mask, f) +
        guides(
          view.guides || ["thirds"],
          f,
          (this.posed ? fr.lens.horizon : this.v.now.lens.horizon) || fr.figures.horizon,
        );
      if (stores.film.trueDone) {
        // The corners of the frame fill as the true view gets clean.
        const k = stores.film.trueDone / 2,
          w = f.w * k,
          h = f.h * k,
          [r, b] = [f.x + f.w, f.y + f.h];
        s +=
          `<path data-true-done fill='none' stroke='#fff' stroke-width='3' d='M${f.x} ${f.y + h}V${f.y}h${w}` +
          `M${r - w} ${f.y}H${r}v${h}M${r} ${b - h}V${b}h${-w}M${f.x + w} ${b}H${f.x}v${-h}'/>`;
      }
      const lay = (find, [l, t, r, b]) => {
        const img = this.box.querySelector(find),
          px = (x) => x + "px",
          at = { left: px(f.x + f.w * l), top: px(f.y + f.h * t), width: px(f.w * (r - l)), height: px(f.h * (b - t)) };
        if (img) Object.assign(img.style, at);
      };
      const part = stores.film.truePart || stores.film.partDrawn;
      lay("[data-true]", stores.film.truePart || [0, 0, 1, 1]);
      lay("[data-true-whole]", [0, 0, 1, 1]);
      if (part)
        s +=
          `<rect data-part x='${f.x + f.w * part[0]}' y='${f.y + f.h * part[1]}' ` +
          `width='${f.w * (part[2] - part[0])}' height='${f.h * (part[3] - part[1])}' ` +
          "fill='none' stroke='#fff' stroke-dasharray='4 3'/>";
      s += this.meterMark(f);
      s += this.noted(f, fr) + drawMatch(this, f);
      // What has not come yet is shown by where it will be.
      let few = 60;
      for (const it of this.placed.values()) {
        const p = !it.ready && few-- > 0 && stores.dress.placement(it.id),
          box = p && p.dims.x < 60 && this.bounds(p, f);
        if (box)
          s +=
            `<rect x='${box[0]}' y='${box[1]}' width='${box[2] - box[0]}' height='${box[3] - box[1]}' ` +
            `fill='#3c3c3c' fill-opacity='.35' stroke='#a0a0a0' stroke-dasharray='2 3' data-coming='${escape(p.id)}'/>`;
      }
      for (const id of this.v.sel) {
        const p = stores.dress.placement(id),
          it = this.placed.get(id);
        if (!p || !it || !stores.dress.visible(p)) continue;
        const box = this.bounds(p, f);
        if (!box) continue;
        const [a, b, c, d] = box,
          k = Math.min(12, (c - a) / 3, (d - b) / 3);
        s +=
          `<path fill='none' stroke='#d6e935' stroke-width='2' d='M${a} ${b + k}V${b}h${k}M${c - k} ` +
          `${b}H${c}v${k}M${c} ${d - k}V${d}h${-k}M${a + k} ${d}H${a}v${-k}'/>`;
        if (!stores.dress.locked(p) && id === this.v.sel[0] && b > 30)
          // the stalk lifts
          s +=
            `<g data-stalk='${escape(id)}' class='pointer-events-auto cursor-ns-resize'>` +
            `<path fill='none' stroke='#d6e935' stroke-width='2' d='M${(a + c) / 2} ${b}V${b - 22}'/>` +
            `<circle cx='${(a + c) / 2}' cy='${b - 22}' r='5' fill='#d6e935'/>` +
            `<circle cx='${(a + c) / 2}' cy='${b - 22}' r='13' fill='transparent'/><title>drag to lift</title></g>`;
        if (id !== this.v.sel[0]) continue; // of many the first is told
        if (!stores.dress.locked(p) && this.v.sel.length === 1 && !this.v.on("surface"))
          s += this.grasp.rings(p, box, f);
        const label = this.lifting ? `base at ${this.v.length(p.at.y)}` : this.v.size(p.dims),
          tw = Math.max(label.length * 7.3, p.name.length * 7) + 14,
          tx = c + 8 + tw < f.bw - 4 || a < tw + 12 ? Math.min(c + 8, f.bw - tw - 4) : a - 8 - tw,
          ty = Math.min(Math.max(b, 4), f.bh - 40);
        s +=
          `<rect x='${tx}' y='${ty}' width='${tw}' height='36' fill='#161616' fill-opacity='.85'/>` +
          `<text x='${tx + 6}' y='${ty + 15}' fill='#f0f0f0' font-size='12'>${escape(p.name)}</text>` +
          `<text class='n' x='${tx + 6}' y='${ty + 30}' fill='#d6e935' font-size='12'>${escape(label)}</text>`;
      }
      s += this.lampMarks(f);
      for (const n of this.v.on("dress") ? this.v.now.snags : []) {
        if (!n.at || !n.key) continue;
        const q = new Vector3(n.at.x, n.at.y, n.at.z).applyMatrix4(this.camera.matrixWorldInverse),
          on = stores.dress.snag === n.key;
        if (q.z > -1e-3) continue;
        q.applyMatrix4(this.camera.projectionMatrix);
        const x = (q.x / 2 + 0.5) * f.bw,
          y = (0.5 - q.y / 2) * f.bh;
        if (x < 0 || y < 0 || x > f.bw || y > f.bh) continue;
        s +=
          `<path data-snag='${escape(n.key)}' d='M${x} ${y - 8}l7 12h-14Z' ` +
          `fill='${on ? "#ff7459" : "#161616"}' fill-opacity='${on ? 1 : 0.6}' stroke='#ff7459' ` +
          `stroke-width='1.6' class='pointer-events-auto cursor-pointer'><title>${escape(n.what)}</title></path>`;
        if (on)
          s +=
            `<text class='n' x='${x}' y='${y + 20}' text-anchor='middle' font-size='12' ` +
            `fill='#ff7459'>${escape(stores.dress.snagNumber(n))}</text>`;
      }
      this.over.setAttribute("viewBox", `0 0 ${f.bw} ${f.bh}`);
      this.over.innerHTML = s;
    }
    // meterMark is where the meter points, and what it reads there.
    meterMark(f) {
      const { metering, meterAt: at, reading: r } = stores.film;
      if (!metering || !at || !this.v.on("light")) return "";
      const x = f.x + at.x * f.w,
        y = f.y + at.y * f.h,
        words = r ? `${number(r.stops, 1)} stops, ${Number(r.luminance.toPrecision(3))} cd/m²` : "reads",
        w = words.length * 7.2 + 12,
        left = x + 14 + w > f.bw ? x - 14 - w : x + 14;
      const cross = `M${x - 12} ${y}H${x - 4}M${x + 4} ${y}H${x + 12}M${x} ${y - 12}V${y - 4}M${x} ${y + 4}V${y + 12}`;
      return (
        `<path d='${cross}' stroke='#161616' stroke-width='4'/>` +
        `<path data-meter d='${cross}' stroke='#fff' stroke-width='1.6'/>` +
        `<rect x='${left}' y='${y - 11}' width='${w}' height='22' fill='#161616' fill-opacity='.85'/>` +
        `<text class='n' x='${left + 6}' y='${y + 4}' fill='#f0f0f0' font-size='12'>${escape(words)}</text>`
      );
    }
    // lampMarks are the lamps of the set, where they hang: to be taken by a click.
    lampMarks(f) {
      let s = "";
      if (!this.v.on("light dress")) return s;
      for (const e of stores.dress.lamps) {
        if (!stores.dress.visible(e)) continue;
        const q = new Vector3(e.spec.at.x, e.spec.at.y, e.spec.at.z).applyMatrix4(this.camera.matrixWorldInverse),
          on = this.v.sel.includes(e.id);
        if (q.z > -1e-3) continue;
        q.applyMatrix4(this.camera.projectionMatrix);
        const x = (q.x / 2 + 0.5) * f.bw,
          y = (0.5 - q.y / 2) * f.bh;
        if (x < 0 || y < 0 || x > f.bw || y > f.bh) continue;
        s +=
          `<g data-lamp='${escape(e.id)}' transform='translate(${x} ${y})' opacity='${e.spec.on ? 1 : 0.5}' ` +
          `class='pointer-events-auto cursor-pointer'><circle r='13' fill='transparent'/>` +
          `<circle r='4' fill='${e.spec.on ? "#ffffff" : "#161616"}' stroke='#161616'/>` +
          `<path d='${rays(8, 6, 10)}' stroke='#161616' stroke-width='3'/>` +
          `<path d='${rays(8, 6, 10)}' stroke='${on ? "#d6e935" : "#ffffff"}' stroke-width='1.4'/>` +
          `<title>${escape(e.name)}: ${escape(e.said || "")}</title></g>`;
      }
      return s;
    }
    // bounds are where a placement's box falls in the view; null where it does not.
    bounds(p, f) {
      const world = this.placed.get(p.id)?.carried || new Matrix4().fromArray(p.world),
        q = new Vector3(),
        box = [1e9, 1e9, -1e9, -1e9];
      for (let i = 0; i < 8; i++) {
        q.set(p.box[i & 1 ? "max" : "min"].x, p.box[i & 2 ? "max" : "min"].y, p.box[i & 4 ? "max" : "min"].z)
          .applyMatrix4(world)
          .applyMatrix4(this.camera.matrixWorldInverse);
        if (q.z > -1e-3) return null;
        q.applyMatrix4(this.camera.projectionMatrix);
        const x = (q.x / 2 + 0.5) * f.bw,
          y = (0.5 - q.y / 2) * f.bh;
        box[0] = Math.min(box[0], x);
        box[1] = Math.min(box[1], y);
        box[2] = Math.max(box[2], x);
        box[3] = Math.max(box[3], y);
      }
      return box[2] < 0 || box[3] < 0 || box[0] > f.bw || box[1] > f.bh ? null : box;
    }
    // noted are what an eye stumbles over, and what the pointer is over elsewhere.
    noted(f, fr) {
      let s = "";
      if (this.v.on("frame") && stores.film.tab === "compose")
        for (const n of fr.figures.notes || [])
          s +=
            `<circle cx='${f.x + n.at[0] * f.w}' cy='${f.y + n.at[1] * f.h}' r='9' fill='none' ` +
            `stroke='#ff7459' stroke-width='1.8' data-note='${n.kind}'><title>${escape(n.what)}</title></circle>`;
      const b = this.v.hover && this.v.on("frame light") && fr.bars.find((q) => q.id === this.v.hover),
        p = !b && this.v.hover && stores.dress.placement(this.v.hover);
      if (p && stores.dress.visible(p)) {
        const box = this.bounds(p, f);
        if (box)
          s +=
            `<rect x='${box[0]}' y='${box[1]}' width='${box[2] - box[0]}' height='${box[3] - box[1]}' ` +
            `fill='none' stroke='#ffffff' stroke-dasharray='3 3' data-hover='${escape(p.id)}'/>`;
      }
      if (b && b.span.seen)
        s +=
          `<rect x='${f.x + b.span.left * f.w}' y='${f.y + b.span.top * f.h}' ` +
          `width='${(b.span.right - b.span.left) * f.w}' height='${(b.span.bottom - b.span.top) * f.h}' ` +
          `fill='none' stroke='#ffffff' stroke-dasharray='3 3' data-hover='${escape(b.id)}'/>`;
      return s;
    }
  };

const escape = (s) => s.replace(/[&<>'"]/g, (c) => `&#${c.charCodeAt(0)};`);
