// The meter: what light comes from a place of the picture, and what falls there from where.
import { call } from "./ask.js";
import { number } from "./print.js";
import { make } from "./svg.js";
import { stores } from "./stores.js";

const three = (x) => (x >= 100 ? number(x, 0) : number(Number(x.toPrecision(3)), 4));

export function meter() {
  let asked = 0;
  return {
    metering: false,
    meterAt: null, // where it points: x and y of the picture, 0 to 1
    reading: null, // what it tells; null while it reads
    // meterOn takes the meter in the hand, or puts it away.
    meterOn() {
      this.metering = !this.metering;
      if (this.metering) this.meterTo(this.meterAt || { x: 0.5, y: 0.5 });
      else stores.v.lens?.remark();
    },
    // meterBy points it a share of the picture farther.
    meterBy(x, y) {
      const at = this.meterAt || { x: 0.5, y: 0.5 },
        within = (v) => Math.min(Math.max(v, 0), 1);
      return this.meterTo({ x: within(at.x + x), y: within(at.y + y) });
    },
    async meterTo(at) {
      const mine = ++asked;
      this.meterAt = at;
      this.reading = null;
      this.year = null;
      stores.v.lens?.remark();
      const set = document.documentElement.dataset.set;
      try {
        const r = await call(`/api/sets/${set}/meter?x=${at.x}&y=${at.y}`);
        if (mine === asked) this.reading = r;
      } catch (e) {
        stores.v.say(e.message, true);
      }
      stores.v.lens?.remark();
    },
    year: null, // when the sun reaches the place, once it was asked
    async askYear() {
      const at = this.meterAt;
      try {
        const set = document.documentElement.dataset.set;
        this.year = await call(`/api/sets/${set}/year?x=${at.x}&y=${at.y}`);
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    // drawYear draws it: days across, hours down.
    drawYear(svg) {
      svg.replaceChildren();
      const y = this.year?.year;
      if (!y) return;
      const fills = { o: "#d6e935", "#": "var(--line)" },
        w = 360 / y.reach.length,
        h = 96 / y.reach[0].length;
      for (const [i, line] of y.reach.entries())
        for (const run of line.matchAll(/o+|#+/g)) {
          const height = run[0].length * h;
          svg.append(make("rect", { x: 16 + i * w, y: run.index * h, width: w + 0.3, height, fill: fills[run[0][0]] }));
        }
      for (const hour of [0, 6, 12, 18])
        svg.append(make("text", { x: 0, y: 8 + hour * 4, "font-size": 9, class: "n", fill: "var(--soft)" }, hour));
      for (const [i, month] of [..."JFMAMJJASOND"].entries())
        svg.append(make("text", { x: 18 + i * 30, y: 108, "font-size": 9, fill: "var(--soft)" }, month));
      const today = y.days.findLastIndex((d) => d.slice(5) <= (stores.v.st.set.light.day || "").slice(5));
      if (today >= 0) svg.append(make("rect", { x: 16 + today * w, y: 0, width: 1, height: 96, fill: "var(--ink)" }));
    },
    get meterSaid() {
      const r = this.reading;
      if (!r) return "the meter reads";
      const before = r.revision < stores.v.st.revision ? "before the last edit: " : "";
      const off = r.luminance > 0 ? ` ± ${Math.max(Math.round((100 * r.off) / r.luminance), 1)} %` : "";
      const stops = (r.stops < 0 ? "" : "+") + number(r.stops, 1);
      return `${before}${three(r.luminance)} cd/m²${off}, ${stops} stops from middle grey`;
    },
    get meterFalls() {
      const r = this.reading;
      if (!r) return "";
      if (!r.hit) return "the sky: nothing is there";
      return `${three(r.lux)} lx fall on it, ${stores.v.distance(r.distance)} away`;
    },
    get meterRatio() {
      const r = this.reading;
      if (!r?.key) return "";
      const from = r.beside >= 0 ? `, ${Math.round(r.beside)}° beside the lens` : "";
      if (!r.ratio) return `the key is ${r.key}${from}, and nothing fills`;
      const stops = number(Math.log2(r.ratio), 1);
      return `key to fill ${number(r.ratio, 1)} : 1, ${stops} stops; the key is ${r.key}${from}`;
    },
    shareWords: (s, r) => `${three(s.lux)} lx, ${number((100 * s.lux) / r.lux, 1)} %`,
  };
}
