// Frame: what the page's store knows about lens, composition, focus, shots and
// moves. What the lens sees is asked of the server; it is drawn here.
import { number } from "./print.js";
import { pull } from "./drag.js";
import { until } from "./ask.js";
import { leave } from "./focus.js";
import { stores } from "./stores.js";

const tabs = ["lens", "compose", "focus", "move", "shot", "match", "paper"];
export const lenses = [14, 18, 24, 28, 35, 50, 85, 120];

// Sensors by their sides in mm, aspects, eye heights in metres (common practice).
const sensors = [
  [36, 24],
  [24.9, 18.7],
  [23.6, 15.6],
  [17.3, 13],
  [13.2, 8.8],
  [43.8, 32.9],
  [52.5, 23],
  [10.3, 7.5],
];
const aspects = [
  ["16 : 9", 16 / 9],
  ["3 : 2", 1.5],
  ["4 : 3", 4 / 3],
  ["1 : 1", 1],
  ["1.66 : 1", 1.66],
  ["1.85 : 1", 1.85],
  ["2 : 1", 2],
  ["2.39 : 1", 2.39],
  ["4 : 5", 0.8],
  ["9 : 16", 9 / 16],
];
const eyes = [
  ["kerb", 0.3],
  ["child", 1.1],
  ["seated", 1.2],
  ["standing", 1.6],
  ["drone", 30],
];
const stops = [1.4, 2, 2.8, 4, 5.6, 8, 11, 16];
export const guideNames = ["thirds", "golden", "diagonals", "cross", "horizon", "safe"];
const empty = {
  bars: [],
  flickers: [],
  figures: { cover: [], empty: [], notes: [] },
  fit: { advice: [], steps: [] },
  view: {},
  lens: {},
};

export function filming({ call }) {
  return {
    fr: empty,
    tab: localStorage.frameTab || "lens",
    tabNames: tabs,
    lenses,
    sensors,
    aspects,
    eyes,
    stops,
    guideNames,
    keepSize: false,
    blur: localStorage.blur !== "off",
    composing: { x: 1 / 3, y: 0.5, size: 0.6, how: "move" },
    cover: 8,
    sharp: { from: "", to: "" },
    compensation: 0,
    compareShot: "",
    track: null,
    playing: false,
    loop: true,
    dropped: 0,
    time: 0,
    stills: {},
    walking: false,
    matching: {
      mode: "",
      upright: "",
      height: 1.75,
      stands: false,
      foot: { x: 0, y: 0, z: 0 },
      given: false,
      wide: 1920,
    },
    picking: "",
    room: { size: 1.75, share: 0.7, rows: [] },

    // look asks what the lens sees now, at the time of the move. Many changes in a
    // row are answered by one look.
    get raw() {
      return Alpine.raw(this.fr);
    },
    lookSoon(wait = 20) {
      clearTimeout(this.looking);
      this.looking = setTimeout(() => this.lookNow().catch((e) => stores.v.say(e.message, true)), wait);
    },
    async lookNow() {
      if (!stores.v.on("light frame") || !stores.v.now) return;
      const id = stores.v.now.set.id,
        key = `${stores.v.now.revision} ${this.moveNow ? this.time : 0}`;
      // One look at a time: what is asked for meanwhile is asked when it is answered.
      if (this.lookKey) {
        this.lookAgain = this.lookKey !== key;
        return;
      }
      this.lookKey = key;
      stores.v.waiting++;
      try {
        const fr = await until(
          () => call(`/api/sets/${id}/frame?t=${this.moveNow ? this.time : 0}`, { priority: "high" }),
          () => stores.v.on("light frame"),
        );
        if (!fr) return;
        this.fr = fr;
        this.lookedAt = this.fr.revision;
        stores.v.strip.draw();
        stores.v.plan.overlay();
        stores.v.lens?.remark();
      } finally {
        stores.v.waiting--;
        this.lookKey = "";
      }
      if (this.lookAgain || this.lookedAt < stores.v.now.revision) {
        this.lookAgain = false;
        this.lookSoon();
      }
      if (this.moveNow && this.track?.revision !== stores.v.now.revision) this.fetchTrack();
      if (this.tab === "lens") stores.v.lens?.rowSoon();
    },
    async fetchTrack() {
      const revision = stores.v.now.revision,
        poses = [];
      let t;
      do {
        t = await until(
          () => call(`/api/sets/${stores.v.now.set.id}/track?from=${poses.length}&count=600`),
          () => stores.v.now.revision === revision,
        ).catch(() => null);
        if (!t || t.revision !== revision) return;
        poses.push(...t.poses);
      } while (poses.length < t.frames && t.poses.length);
      this.track = { ...t, poses };
      if (this.time > 0 && !this.playing) this.pose(); // scrubbed before it was there
    },
    openTab(t) {
      this.tab = localStorage.frameTab = t;
      this.picking = "";
      this.matching.mode = "";
      if (this.fr === empty) this.lookSoon();
      stores.v.lens?.invalidate();
      if (t === "lens") stores.v.lens?.rowSoon();
    },
    setHover(id) {
      if (stores.v.hover === id) return;
      stores.v.hover = id;
      stores.v.strip.mark();
      stores.v.plan.mark();
      stores.v.lens?.remark();
    },
    nameOf(id) {
      return (
        stores.v.now?.placements.find((p) => p.id === id)?.name ||
        stores.v.now?.elements.find((e) => e.id === id)?.name ||
        ""
      );
    },
    // subjectWords says how the subject lies in the picture.
    subjectWords(s) {
      return (
        `${this.share(s.height)} high, covers ${this.share(s.share)}, headroom ${this.share(s.headroom)}, ` +
        `${stores.v.distance(s.distance)} away`
      );
    },
    // subjects are what can be named: placements, groups, and what is described.
    get subjects() {
      const st = stores.v.now,
        had = ["layer", "meant", "limit", "kept light", "material", "wear", "ground", "path", "water"];
      void stores.v.st;
      return st
        ? [
            ...st.elements.filter((e) => e.kind === "group"),
            ...st.placements.filter((p) => Math.max(p.dims.x, p.dims.z) < 30),
            ...st.elements.filter((e) => !had.includes(e.kind) && e.kind !== "group"),
          ].sort((a, b) => a.name.localeCompare(b.name, "en", { numeric: true }))
        : [];
    },

    // Lens
    focal(f) {
      return this.keepSize ? stores.v.does("lens", { focal: f, keepSize: true }) : stores.shoot.view({ focal: f });
    },
    // dragFocal changes the focal length by the way of the pointer: a hand's width
    // doubles it.
    dragFocal(e) {
      const kept = stores.v.st.set.view.focal,
        x = e.clientX;
      let to = kept;
      pull(
        e.currentTarget,
        e,
        (m) => {
          to = Number(Math.min(Math.max(kept * Math.pow(2, (m.clientX - x) / 160), 4), 2000).toPrecision(3));
          stores.v.lens?.zoomed(to / kept);
          stores.v.say(`${to} mm`);
        },
        (moved) => {
          stores.v.lens?.zoomed(1);
          if (moved && to !== kept) this.focal(to);
          else stores.v.say("");
        },
        0,
      );
    },
    get sensorWords() {
      const v = stores.v.st?.set.view;
      return v ? `${number(v.sensorW, 2)} × ${number(v.sensorH, 2)} mm` : "";
    },
    get guides() {
      return stores.v.st?.set.view.guides || ["thirds"];
    },
    guide(name) {
      return this.guides.includes(name);
    },
    setGuide(name, on) {
      const all = this.guides.filter((g) => g !== name && g !== "none");
      return stores.shoot.view({ guides: [...all, ...(on ? [name] : [])] });
    },
    shutterWords(s) {
      return !s ? "" : s >= 0.4 ? `${number(s, 2)} s` : `1/${number(1 / s, 1)} s`;
    },
    typedShutter(input) {
      const m = input.value.trim().match(/^1\s*\/\s*([0-9.]+)\s*s?$/),
        n = m ? 1 / Number(m[1]) : Number(input.value.replace(/s$/, ""));
      if (!(n > 0)) {
        input.classList.add("bad");
        return stores.v.say(`“${input.value}” is not a shutter time: 1/50 s, 0.5 s`, true);
      }
      input.classList.remove("bad");
      return stores.shoot.view({ shutter: n });
    },

    // Compose
    frameIt() {
      const id = this.subjectId;
      return id
        ? stores.v.does("compose", {
            id,
            x: this.composing.x,
            y: this.composing.y,
            height: this.composing.size,
            width: 0,
            how: this.composing.how,
          })
        : stores.v.say("Name the subject first.", true);
    },
    get subjectId() {
      return stores.v.st?.set.view.subject || stores.v.sel[0] || "";
    },
    pad(e) {
      const r = e.currentTarget.getBoundingClientRect();
      this.composing.x = Math.round(Math.min(Math.max((e.clientX - r.left) / r.width, 0), 1) * 100) / 100;
      this.composing.y = Math.round(Math.min(Math.max((e.clientY - r.top) / r.height, 0), 1) * 100) / 100;
    },
    padKey(e) {
      const k = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
      if (!k) return;
      e.preventDefault();
      e.stopPropagation();
      this.composing.x = Math.min(Math.max(this.composing.x + k[0] * 0.01, 0), 1);
      this.composing.y = Math.min(Math.max(this.composing.y + k[1] * 0.01, 0), 1);
    },
    share: (x) =>
      x == null
        ? ""
        : x >= 0.0995
          ? `${Math.round(100 * x)} %`
          : x >= 0.0005
            ? `${(100 * x).toFixed(1)} %`
            : "< 0.1 %",

    // Shots
    backToKept() {
      return stores.shoot.shot && stores.v.does("go to shot", { id: stores.shoot.shot.id });
    },
    orderShot(id, by) {
      const ids = stores.v.st.shots.map((s) => s.id),
        i = ids.indexOf(id),
        j = i + by;
      if (j < 0 || j >= ids.length) return null;
      [ids[i], ids[j]] = [ids[j], ids[i]];
      return stores.v.does("order shots", { ids });
    },
    patchShot(id, patch) {
      return stores.v.does("change shot", { id, patch });
    },
    hideLayer(name, off) {
      const all = (stores.v.st.set.hide || []).filter((n) => n !== name);
      return stores.v.does("change set", { patch: { hide: off ? [...all, name] : all } });
    },
    isLeftOut(layer) {
      return (stores.v.st.set.hide || []).includes(layer);
    },
    cutThing(id) {
      const all = this.cutThings,
        had = all.includes(id);
      return stores.shoot.view({ cutWalls: had ? all.filter((x) => x !== id) : [...all, id] });
    },
    get cutThings() {
      return stores.v.st?.set.view.cutWalls || [];
    },
    // differences are what two shots do not share, in words.
    get differences() {
      const a = stores.v.st?.set,
        b = stores.v.st?.shots.find((s) => s.id === this.compareShot);
      if (!a || !b) return [];
      const out = [],
        say = (what, x, y) => {
          if (x !== y) out.push([what, x, y]);
        },
        n = (x) => number(x, 2);
      const V = (s) => s.view,
        at = (s) => ["x", "y", "z"].map((k) => stores.v.length(V(s).eye[k])).join(", ");
      say("place", at(a), at(b));
      say(
        "aim",
        `${stores.v.degrees(V(a).yaw)}, ${stores.v.degrees(V(a).pitch)}`,
        `${stores.v.degrees(V(b).yaw)}, ${stores.v.degrees(V(b).pitch)}`,
      );
      say("roll", stores.v.degrees(V(a).roll), stores.v.degrees(V(b).roll));
      say("lens", `${n(V(a).focal)} mm`, `${n(V(b).focal)} mm`);
      say("sensor", `${n(V(a).sensorW)} × ${n(V(a).sensorH)} mm`, `${n(V(b).sensorW)} × ${n(V(b).sensorH)} mm`);
      say("aspect", n(V(a).aspect), n(V(b).aspect));
      say("shift", `${n(V(a).shiftX)}, ${n(V(a).shiftY)} mm`, `${n(V(b).shiftX)}, ${n(V(b).shiftY)} mm`);
      say("f-number", `f/${n(V(a).fNumber)}`, `f/${n(V(b).fNumber)}`);
      say("focus", stores.v.distance(V(a).focus), stores.v.distance(V(b).focus));
      say(
        "range",
        `${stores.v.distance(V(a).near)} to ${stores.v.distance(V(a).far)}`,
        `${stores.v.distance(V(b).near)} to ${stores.v.distance(V(b).far)}`,
      );
      say("exposure", `EV ${n(V(a).ev)}`, `EV ${n(V(b).ev)}`);
      for (const part of ["light", "finish"]) {
        const same = JSON.stringify(a[part] || {}) === JSON.stringify(b[part] || {});
        say(part, same ? "same" : "this", same ? "same" : "another");
      }
      say("layers hidden", (a.hide || []).join(", ") || "none", (b.hide || []).join(", ") || "none");
      say("move", this.moveWords(a), this.moveWords(b));
      return out;
    },
    moveWords(s) {
      const d = this.lasts(s.move);
      return s.move ? `${number(d, 2)} s` : "still";
    },
    lasts(m) {
      return !m
        ? 0
        : Math.max(m.seconds || 0, m.keys?.length ? m.keys.reduce((n, k) => n + k.seconds, 0) : m.rail?.seconds || 0);
    },
    pictureOf(s) {
      const t = stores.v.st.takes.find((t) => t.shot === s.id && stores.shoot.picture(t) && !t.settings.around);
      return t ? stores.shoot.picture(t) : this.stills[s.id]?.url || "";
    },

    // Walk
    walk() {
      this.walking = !this.walking;
      leave();
      stores.v.say(
        this.walking ? "walking: arrows go and turn, Page Up and Page Down fly, Shift is faster, Escape ends" : "",
      );
    },
    lookThrough(what = "") {
      return stores.v.does("look through", what === "sun" ? { sun: true } : { id: stores.v.sel[0] });
    },

    // Paper
    async planRoom() {
      const id = this.subjectId;
      if (!id) return stores.v.say("Name the subject first: the lenses are tried on it.", true);
      try {
        this.room = {
          ...this.room,
          ...(await call(
            `/api/sets/${stores.v.now.set.id}/lenses?subject=${id}&share=${this.room.share}&focals=${lenses.join(",")}`,
          )),
        };
        stores.v.plan.overlay();
      } catch (e) {
        stores.v.say(e.message, true);
      }
      return null;
    },
    everyone: false,
    sheetURL(what, as) {
      const s = stores.v.st?.set;
      return s
        ? `/api/sets/${s.id}/${what}?as=${as}${what === "cutouts" && this.everyone ? "&all=yes" : ""}` +
            (stores.shoot.shot && !stores.v.st.changed ? `&shot=${stores.shoot.shot.id}` : "")
        : "";
    },
  };
}
