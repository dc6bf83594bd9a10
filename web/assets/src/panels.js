// What panels have of their own: the document that each is of, what it says in words, and what
// a gesture in it does. Templates only name these.
import { alonePanel } from "./alone.js";
import { drawLadder, falseWords, ladderWords, pullLadder } from "./ladder.js";
import { stores } from "./stores.js";
import { areaOf } from "./brush.js";
import { call, handIn, until } from "./ask.js";
import { clock, drawDial, hourAt } from "./dial.js";
import { pull } from "./drag.js";

export function panels(Alpine) {
  Alpine.data("budgetPanel", () => ({
    get b() {
      return stores.v.st.budgetNow;
    },
    get savings() {
      return (this.b.savings || []).slice(0, 6);
    },
    over: ([, , is, most]) => most > 0 && is > most,
    // limitTo takes what was typed as a limit; nothing is none.
    limitTo(input, key) {
      if (input.value.trim() === "") return stores.dress.setLimit({ [key]: 0 });
      return stores.v.typedNumber(input, (n) => stores.dress.setLimit({ [key]: Math.round(n) }));
    },
  }));

  Alpine.data("wearPanel", () => ({
    fixed: false,
    get doc() {
      return this.e.spec;
    },
    put(key, x) {
      return this.set({ [key]: x });
    },
    set(spec) {
      return stores.v.does("change element", { id: this.e.id, patch: { spec } });
    },
    get saysWear() {
      const w = this.doc,
        parts = ["wet", "puddles", "dust", "snow", "moss", "edges", "corners"].filter((k) => w[k] > 0),
        what = parts.map((k) => `${k} ${stores.v.number(100 * w[k], 0)} %`).join(", ") || "nothing yet",
        on = w.only.length ? `, on ${w.only.map((id) => stores.film.nameOf(id)).join(", ")}` : "";
      return `${this.e.name}: ${what}${on}${this.e.hidden ? ", off" : ""}`;
    },
    only(some) {
      const ids = some ? stores.v.sel : [];
      if (some && !ids.length) return stores.v.say("Select the things first that it is to count on.", true);
      return this.put("only", [...ids]);
    },
    // areaAbout lets it count about what is selected, as wide and deep as that is in the plan.
    areaAbout() {
      const a = areaOf(stores.v.sel.map((id) => stores.dress.placement(id)).filter(Boolean));
      if (!a) return stores.v.say("Select things that were placed: the area lies about them.", true);
      return this.set(a);
    },
    async areaBy(file) {
      if (!file) return;
      try {
        const blob = await handIn(stores.v.st.production.id, file);
        await this.set({ map: { blob, name: file.name.slice(0, 100) } });
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    get mapWords() {
      return this.doc.map?.blob ? "another picture over the area" : "by a picture over the area";
    },
    areaPlain() {
      return this.set({ map: { blob: "", name: "" } });
    },
    off() {
      return stores.v.does("change element", { id: this.e.id, patch: { hidden: !this.e.hidden } });
    },
    remove() {
      return stores.v.does("delete", { ids: [this.e.id] });
    },
  }));

  Alpine.data("alonePanel", alonePanel);
  Alpine.data("surfacePanel", () => ({
    fixed: false,
    get doc() {
      return stores.surface.one?.material || {};
    },
    put(key, x) {
      return stores.surface.put(key, x);
    },
    get heldSample() {
      return stores.surface.held ? stores.surface.sampleOf(stores.surface.held.material) : null;
    },
    putBack() {
      stores.surface.held = null;
      stores.v.say("");
    },
    get pullWords() {
      return `pull by ${stores.v.number(100 * stores.surface.pullBy, 0)} %`;
    },
    get raysWords() {
      const n = stores.surface.against?.rays;
      const how = "how far off in CIEDE2000, which share of the picture; surfaces without their light";
      return n ? `${how}, looked at by ${stores.v.number(n, 0)} rays` : "";
    },
    shareWords: (s) => (s.share > 0 ? `${stores.v.number(100 * s.share, 0)} %` : ""),
    get toggles() {
      return Boolean(stores.surface.one?.by || stores.surface.shownOld);
    },
    get toggleWords() {
      return stores.surface.shownOld ? "show the new" : "show the old";
    },
    onWords(e) {
      const n = e.spec.on.length;
      return n ? `on ${stores.v.count(n, "surface")}` : "on nothing";
    },
  }));

  Alpine.data("elementPanel", () => ({
    get e() {
      return stores.dress.element || { spec: {} };
    },
    get doc() {
      return this.e.spec;
    },
    get fixed() {
      return this.e.locked;
    },
    put(key, x) {
      return stores.dress.setFigure(this.e, key, x);
    },
    get said() {
      return this.e.error || (this.e.laying ? "being laid out" : this.e.said || this.e.kind);
    },
    // parallax tells whether a card stands far enough for the move that there is.
    get parallax() {
      const { distant, safe } = this.e,
        away = stores.v.distance(distant);
      if (!stores.v.st?.set.move) return `${away} away; without a move it is safe at any distance`;
      return (
        `${distant >= safe ? "safe: " : "too near: "}${away} away, ` +
        `its parallax in this move stays below a pixel from ${stores.v.distance(safe)}`
      );
    },
    get walls() {
      return this.e.spec.outline.length - (this.e.spec.open ? 1 : 0);
    },
    openingWords(o) {
      const what = o.door ? "door" : o.sill > 0 ? "window" : "opening",
        many = o.bays > 1 || o.floors > 1 ? `, ${o.bays} × ${o.floors}` : "";
      return `${what} in wall ${o.wall + 1}${many}`;
    },
    setHeight(i, y) {
      return this.put(
        "points",
        this.e.spec.points.map((q, k) => (k === i ? { ...q, y } : q)),
      );
    },
    get brushes() {
      return this.e.kind === "drift" ? ["add", "take"] : ["raise", "lower", "smooth", "flatten"];
    },
    brushing: (d) => stores.dress.brush.do === d && stores.dress.tool === "brush",
    takeBrush(d) {
      stores.dress.brush.do = d;
      if (stores.dress.tool !== "brush") stores.dress.useTool("brush");
    },
  }));

  Alpine.data("cameraPanel", () => ({
    get c() {
      return stores.v.st.set.view;
    },
    get n() {
      return stores.v.st.lens;
    },
    get keptWords() {
      return stores.shoot.shot ? (stores.v.st.changed ? "changed since kept" : "as kept") : "not kept yet";
    },
    get ownSensor() {
      return !stores.film.sensors.some((s) => this.isSensor(s));
    },
    isSensor(s) {
      return Math.abs(this.c.sensorW - s[0]) < 0.05;
    },
    get ownAspect() {
      return !stores.film.aspects.some((a) => this.isAspect(a));
    },
    isAspect(a) {
      return Math.abs(this.c.aspect - a[1]) < 0.004;
    },
    get round() {
      return (this.c.squeeze || 1) === 1;
    },
    isDepth(d) {
      return (this.c.depth || "24") === d;
    },
    get thirds() {
      return [
        ["left third", 1 / 3],
        ["middle", 0.5],
        ["right third", 2 / 3],
      ];
    },
    // What is composed is a bar of the picture, in per cent of its sides.
    get barLeft() {
      return 100 * stores.film.composing.x - 6;
    },
    get barTop() {
      return 100 * (stores.film.composing.y - stores.film.composing.size / 2);
    },
    get focusNow() {
      return stores.v.length((stores.film.moveNow && stores.film.fr.view.focus) || this.c.focus);
    },
    pickFocus() {
      stores.film.picking = stores.film.picking === "focus" ? "" : "focus";
      stores.v.say(stores.film.picking ? "click in the lens view what is to be sharp" : "");
    },
    blurred() {
      localStorage.blur = stores.film.blur ? "on" : "off";
      stores.v.lens?.invalidate();
    },
    get shutterAngle() {
      const rate = stores.film.moveNow?.rate;
      return rate ? `${stores.v.number(360 * this.n.open * rate, 0)}° at ${rate} /s` : "";
    },
    get offMeter() {
      const off = this.c.ev - stores.film.fr.metered;
      if (stores.film.fr.metered == null) return "";
      return off > 0 ? `${stores.v.number(off, 1)} stops under` : `${stores.v.number(-off, 1)} stops over`;
    },
  }));

  Alpine.data("seenPanel", () => ({
    get f() {
      return stores.film.fr.figures;
    },
    get thirdsOfDepth() {
      return [this.f.foreground, this.f.middle, this.f.background].map((x) => stores.film.share(x)).join(", ");
    },
    get empty() {
      return (this.f.empty || []).join(", ");
    },
    barOf(t) {
      return { width: Math.min((100 * t.share) / Math.max(this.f.cover[0].share, 0.001), 100) + "%" };
    },
  }));

  Alpine.data("lightPanel", () => ({
    sun: null, // over the place, once it is known
    at: null, // the hour that is being pulled to
    get doc() {
      return stores.v.st.set.light;
    },
    fixed: false,
    put: (key, x) => stores.shoot.light({ [key]: x }),
    get placed() {
      return this.doc.from === "place";
    },
    // near puts the set to a town of the list.
    near(name) {
      const { latitude, longitude, zone } = stores.v.schema.places.find((p) => p.name === name);
      return stores.shoot.light({ latitude, longitude, zone });
    },
    evHeld: null, // the exposure that is being pulled to
    ladder(svg) {
      drawLadder(svg, this.evHeld ?? stores.v.st.set.view.ev, this.evHeld != null);
    },
    pullLadder(e) {
      pullLadder(e.currentTarget, e, (ev) => {
        this.evHeld = ev;
      });
    },
    get ladderSaid() {
      return ladderWords();
    },
    get falseSaid() {
      return falseWords();
    },
    exposeBy(stops) {
      return stores.shoot.view({ ev: Math.round(10 * (stores.v.st.set.view.ev + stops)) / 10 });
    },
    ownSaid: "",
    // ownSun finds the panorama's own sun, puts the set's sun there, and takes the panorama's out.
    async ownSun() {
      try {
        const own = await call(`/api/sets/${document.documentElement.dataset.set}/ownsun`);
        if (!own.found) {
          this.ownSaid = "nothing in it stands out as a sun does";
          return;
        }
        const { azimuth, elevation, lux, kelvin, size } = own;
        this.ownSaid = `its sun gives ${Math.round(lux)} lx at ${Math.round(kelvin)} K: the set's sun is laid onto it`;
        await stores.shoot.light({ sunOn: true, from: "hand", azimuth, elevation, lux, kelvin, size, sunOut: true });
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    backs: [
      ["sky", "what lights"],
      ["colour", "a colour"],
      ["nothing", "nothing"],
    ],
    get back() {
      return this.doc.behind || "sky";
    },
    get panorama() {
      return this.doc.sky === "panorama";
    },
    get computed() {
      return this.doc.sky === "hour" || this.doc.sky === "standard";
    },
    get airSaid() {
      return stores.v.st.lightNow.air.said || "clear: type how far haze or fog lets see";
    },
    get hour() {
      return this.at ?? this.doc.hour;
    },
    get hourWords() {
      return clock(this.hour);
    },
    get said() {
      return (this.sun?.said || []).join(" · ");
    },
    // look asks for the sun of another place or day.
    look() {
      const { latitude, longitude, north, day, zone } = this.doc,
        place = [latitude, longitude, north, day, zone].join();
      if (!this.placed || place === this.asked) return;
      this.asked = place;
      until(
        () => call(`/api/sets/${document.documentElement.dataset.set}/sun`),
        () => this.asked === place,
      )
        .then((sun) => {
          if (sun && this.asked === place) this.sun = sun;
        })
        .catch((e) => {
          this.asked = "";
          stores.v.say(e.message, true);
        });
    },
    dial(svg) {
      if (this.sun) drawDial(svg, this.sun, this.hour);
    },
    // take takes the sun along its path.
    take(e) {
      const svg = e.currentTarget,
        to = (m) => {
          this.at = hourAt(svg, this.sun, m);
        };
      pull(svg, e, to, (moved, last) => {
        if (moved === false) to(last);
        const hour = this.at;
        if (moved === null || hour == null || hour === this.doc.hour) {
          this.at = null;
          return;
        }
        this.putHour(hour);
      });
    },
    // putHour shows an hour at once; what is pulled to since is kept.
    putHour(hour) {
      this.at = hour;
      return this.put("hour", hour).then(() => {
        if (this.at === hour) this.at = null;
      });
    },
    turn(by) {
      return this.putHour(Math.min(Math.max(Math.round((this.hour + by) * 20) / 20, 0), 24));
    },
  }));

  Alpine.data("finishPanel", () => ({
    get doc() {
      return stores.shoot.finishNow[this.s.name];
    },
    get opened() {
      return this.s.name === "falloff" || Boolean(stores.v.st.set.finish?.[this.s.name]);
    },
    fixed: false,
    put(key, x) {
      return stores.shoot.putFinish(this.s, key, x);
    },
    // tries is while a slider is held.
    tries(key, x) {
      stores.shoot.tryFinish(this.s, key, x);
    },
  }));

  Alpine.data("matchPanel", () => ({
    get p() {
      return stores.film.match;
    },
    get k() {
      return stores.film.matching;
    },
    // mark begins to mark, or ends it, and says how it is done.
    mark(mode) {
      const how = {
        point: "click a place in the picture, then type where it is in the set",
        upright: "drag from the foot to the head of something upright on the ground",
      };
      this.k.mode = this.k.mode === mode ? "" : mode;
      stores.v.say(this.k.mode && (how[mode] || "drag along an edge in the lens view"));
    },
    get fewLines() {
      return (this.p.lines || []).length < 4;
    },
    get fewPoints() {
      return (this.p.points || []).length < (this.k.given ? 3 : 4);
    },
  }));

  Alpine.data("movePanel", () => ({
    eases: ["linear", "smooth", "slow start", "slow end", "hold", "own"],
    get m() {
      return stores.v.st.set.move;
    },
    isRail(kind) {
      return (this.m?.rail?.kind || "") === kind;
    },
    addKept(id) {
      if (id) stores.film.addKey(stores.v.st.shots.find((s) => s.id === id).view, id);
    },
    seeKey(i) {
      return stores.film.scrub(this.m.keys.slice(0, i + 1).reduce((n, q) => n + q.seconds, 0));
    },
    keyWords(k, i) {
      const shot = stores.v.st.shots.find((s) => s.id === k.shot);
      return `to ${shot?.name || `${stores.v.number(k.view.focal, 1)} mm view ${i + 1}`}`;
    },
    curveWords: (n) => `${n < 2 ? "First" : "Second"} point of the curve, ${n % 2 ? "way" : "time"}`,
    bendKey(i, n, x) {
      return stores.film.setKey(i, { curve: this.m.keys[i].curve.map((z, j) => (j === n ? x : z)) });
    },
    // idle says that the move goes nowhere: it ends where it starts.
    get idle() {
      const here = stores.v.st.set.view,
        keys = this.m.keys || [];
      if (keys.length !== 1) return false;
      const { eye, yaw } = keys[0].view;
      return JSON.stringify(eye) === JSON.stringify(here.eye) && yaw === here.yaw;
    },
    pullTo(what) {
      if (what) stores.film.addPull(what === "here" ? "" : what);
    },
    names: (ids) => ids.map((id) => stores.film.nameOf(id)).join(", "),
    get crossing() {
      return (stores.film.fr.move?.crossing || []).slice(0, 5);
    },
  }));

  Alpine.data("railPanel", () => ({
    get r() {
      return stores.v.st.set.move?.rail || { points: [] };
    },
  }));

  Alpine.data("sizePanel", () => ({
    get readAs() {
      return ["x", "y", "z"].map((k) => stores.v.number(stores.size.sized.asRead[k], 3)).join(" × ");
    },
    get candidates() {
      return (stores.size.proposal?.candidates || []).slice(0, 4);
    },
    // settled says that nothing is left to take: nothing is proposed, or it is so already.
    get settled() {
      const first = stores.size.proposal?.candidates[0];
      return !first || Boolean(stores.size.sized.sizing.decided && first.now);
    },
    // measureTrue takes the true length of what was measured; the field is empty then.
    async measureTrue(input) {
      await stores.v.typed(input, (m) => stores.size.trueDistance(m));
      if (!input.classList.contains("bad")) input.value = "";
    },
    showLike(open) {
      stores.size.like = open ? stores.size.like : "";
      stores.v.draw();
    },
    texels: (t) => t.wrong || (t.texels ? `${Math.round(t.texels).toLocaleString("en")} texels a metre` : ""),
    get pivot() {
      const { pivot, centre, ground } = stores.size.sized.sizing;
      return pivot || (centre && ground ? "base" : "file");
    },
    clickPivot() {
      stores.size.pivoting = !stores.size.pivoting;
      stores.size.showSize("measure");
    },
    turnOn: () => stores.size.standAs({ turn: (stores.size.sized.sizing.turn + 1) % 4 }),
    get snags() {
      return stores.shoot.snags("size").filter((s) => s.id === stores.v.piece);
    },
  }));

  Alpine.data("onePanel", () => ({
    get bends() {
      return stores.v.schema?.placement.find((f) => f.key === "bends").choices || [];
    },
    get bendsNow() {
      return stores.dress.one.bends || this.bends[0];
    },
    // setTall makes the placement as tall as that, in metres.
    setTall(y) {
      const { id, dims, scale } = stores.dress.one,
        k = y / dims.y;
      return stores.dress.change(id, { scale: { x: scale.x * k, y: scale.y * k, z: scale.z * k } });
    },
    takeGroup() {
      stores.v.sel = [stores.dress.groupOf.id];
      stores.v.draw();
    },
    get snags() {
      const id = stores.dress.one?.id;
      return stores.v.st.snags.filter((s) => s.id === id || ((s.ids || []).includes(id) && s.kind !== "unseen"));
    },
  }));
}
