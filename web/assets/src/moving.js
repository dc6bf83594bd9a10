// The move of a shot: its keys, its rail, what rides, and its time.
import { call } from "./ask.js";
import { stores } from "./stores.js";

export const moving = {
  get moveNow() {
    return stores.v.st?.set.move || null;
  },
  // setMoveTo lays a patch, or what a function makes of the move as it is when its
  // turn comes, over the move; without one it begins one.
  setMoveTo(patch) {
    return stores.v.edit(() => {
      const had = stores.v.now.set.move,
        m = had || {
          rate: 24,
          seconds: 0,
          keys: [],
          rail: null,
          follow: "",
          pulls: [],
          shake: null,
          rides: [],
          flickers: [],
          plays: [],
        };
      const change = typeof patch === "function" ? patch(m) : patch,
        next = {
          ...m,
          ...change,
          rail: change.rail ? { ...m.rail, ...change.rail } : "rail" in change ? null : m.rail,
        };
      if (!(this.lasts(next) > 0)) next.seconds = change.seconds = 4;
      return { op: "change set", args: { patch: { move: had ? change : next } } };
    });
  },
  noMove() {
    this.time = 0;
    this.playing = false;
    return stores.v.does("change set", { patch: { move: null } });
  },
  // addKey ends the move at the view that is seen now; the shot's own view is its
  // start. from is a kept shot.
  addKey(view, shot = "") {
    return this.setMoveTo((m) => ({
      keys: [...(m.keys || []), { view, seconds: 3, easing: "smooth", curve: [0.4, 0, 0.6, 1], shot }],
      rail: null,
    }));
  },
  setKey(i, patch) {
    return this.setMoveTo((m) => ({ keys: m.keys.map((k, n) => (n === i ? { ...k, ...patch } : k)) }));
  },
  dropKey(i) {
    const keys = stores.v.st.set.move.keys.filter((_, n) => n !== i),
      m = stores.v.st.set.move;
    return keys.length || m.rail || m.seconds > 0 || m.rides?.length ? this.setMoveTo({ keys }) : this.noMove();
  },
  // swapEnds makes the last view the first, and the first the last.
  swapEnds() {
    const s = stores.v.st.set,
      m = s.move,
      last = m.keys.at(-1).view;
    return stores.v.does("change set", {
      patch: { view: last, move: { keys: [...m.keys.slice(0, -1), { ...m.keys.at(-1), view: s.view }] } },
    });
  },
  setRail(kind) {
    const v = stores.v.st.set.view,
      f = stores.v.st.lens.forward,
      at = (d) => ({ x: v.eye.x + f.x * d, y: v.eye.y, z: v.eye.z + f.z * d }),
      subject = stores.dress.placement(this.subjectId);
    const center = subject ? { ...subject.at } : { ...at(v.focus), y: 0 },
      base = {
        kind,
        points: [],
        smooth: true,
        center,
        angle: 0,
        rise: 0,
        seconds: 4,
        easing: "smooth",
        curve: [0.4, 0, 0.6, 1],
        look: "",
      };
    if (!kind) return this.setMoveTo({ rail: null });
    if (kind === "path") return stores.dress.useTool("rail");
    if (kind === "dolly")
      return this.setMoveTo({ keys: [], rail: { ...base, points: [{ ...v.eye }, at(Math.min(2, v.focus / 2))] } });
    if (kind === "crane")
      return this.setMoveTo({
        keys: [],
        rail: { ...base, center: { x: v.eye.x - f.x * 4, y: 0.5, z: v.eye.z - f.z * 4 }, rise: 0.35, look: "ahead" },
      });
    return this.setMoveTo({ keys: [], rail: { ...base, angle: Math.PI / 2, look: "" } });
  },
  patchRail(patch) {
    return this.setMoveTo({ rail: patch });
  },
  dollyLength(m) {
    const r = stores.v.st.set.move.rail,
      [a, b] = r.points,
      l = Math.hypot(b.x - a.x, b.y - a.y, b.z - a.z) || 1,
      k = m / l;
    return this.patchRail({
      points: [a, { x: a.x + (b.x - a.x) * k, y: a.y + (b.y - a.y) * k, z: a.z + (b.z - a.z) * k }],
    });
  },
  railLength(points) {
    let n = 0;
    for (let i = 1; i < points.length; i++)
      n += Math.hypot(points[i].x - points[i - 1].x, points[i].y - points[i - 1].y, points[i].z - points[i - 1].z);
    return n;
  },
  // addPull marks focus at this time: on what is selected, or where it is now.
  addPull(id) {
    const now = this.fr.view?.focus || stores.v.st.set.view.focus,
      at = Number(this.time);
    const mark = { at, on: id, metres: now, easing: "smooth", curve: [0.4, 0, 0.6, 1] };
    return this.setMoveTo((m) => ({
      pulls: [...(m.pulls || []).filter((p) => Math.abs(p.at - at) > 1e-6), mark].sort((a, b) => a.at - b.at),
    }));
  },
  setPull(i, patch) {
    return this.setMoveTo((m) => ({
      pulls: m.pulls.map((p, n) => (n === i ? { ...p, ...patch } : p)).sort((a, b) => a.at - b.at),
    }));
  },
  dropPull(i) {
    return this.setMoveTo((m) => ({ pulls: m.pulls.filter((_, n) => n !== i) }));
  },
  setShake(on) {
    return this.setMoveTo({ shake: on ? { degrees: 0.6, metres: 0.015, hertz: 0.7, seed: 1 } : null });
  },
  patchShake(patch) {
    return this.setMoveTo({ shake: patch });
  },
  patchRide(i, patch) {
    return this.setMoveTo((m) => ({ rides: m.rides.map((r, n) => (n === i ? { ...r, ...patch } : r)) }));
  },
  dropRide(i) {
    return this.setMoveTo((m) => ({ rides: m.rides.filter((_, n) => n !== i) }));
  },
  addFlicker() {
    const ids = stores.v.sel.slice();
    return this.setMoveTo((m) => ({ flickers: [...(m.flickers || []), { ids, hertz: 6, depth: 0.35, seed: 1 }] }));
  },
  patchFlicker(i, patch) {
    return this.setMoveTo((m) => ({ flickers: m.flickers.map((r, n) => (n === i ? { ...r, ...patch } : r)) }));
  },
  dropFlicker(i) {
    return this.setMoveTo((m) => ({ flickers: m.flickers.filter((_, n) => n !== i) }));
  },
  async addPlay(files) {
    const card = stores.dress.element;
    if (card?.kind !== "card")
      return stores.v.say("Select a card with a picture first: it plays the pictures that you choose.", true);
    const list = [...files].sort((a, b) => a.name.localeCompare(b.name, "en", { numeric: true })),
      pictures = [];
    try {
      for (const f of list)
        pictures.push(
          (await call(`/api/productions/${stores.v.st.production.id}/picture`, { method: "POST", body: f })).blob,
        );
    } catch (e) {
      return stores.v.say(e.message, true);
    }
    return pictures.length
      ? this.setMoveTo((m) => ({
          plays: [
            ...(m.plays || []).filter((p) => p.id !== card.id),
            { id: card.id, pictures, rate: 12, once: false },
          ],
        }))
      : null;
  },
  dropPlay(i) {
    return this.setMoveTo((m) => ({ plays: m.plays.filter((_, n) => n !== i) }));
  },
  // drawnWay takes a way that was drawn on the plan, for the camera or for what is
  // selected.
  drawnWay(tool, pts) {
    const v = stores.v.st.set.view;
    if (tool === "rail") {
      const points = pts.map((p) => ({ x: p.x, y: v.eye.y, z: p.z }));
      return this.setMoveTo({
        keys: [],
        rail: {
          kind: "path",
          points,
          smooth: pts.length > 2,
          center: { x: 0, y: 0, z: 0 },
          angle: 0,
          rise: 0,
          seconds: Math.max(Math.round(this.railLength(points) / 0.7), 1),
          easing: "smooth",
          curve: [0.4, 0, 0.6, 1],
          look: "",
        },
      });
    }
    const thing = stores.dress.placement(stores.v.sel[0]),
      group = stores.dress.groupOf,
      ids = group ? [group.id] : stores.v.sel.filter((id) => stores.dress.placement(id));
    if (!ids.length || !thing) return stores.v.say("Select what is to move first.", true);
    const y = thing.at.y,
      first = { x: thing.at.x, y, z: thing.at.z },
      points = [first, ...pts.map((p) => ({ x: p.x, y, z: p.z }))];
    return this.setMoveTo((m) => ({
      seconds: Math.max(this.lasts(m), 3),
      rides: [
        ...(m.rides || []),
        {
          ids,
          points,
          smooth: points.length > 2,
          start: 0,
          seconds: 3,
          easing: "linear",
          curve: [0.4, 0, 0.6, 1],
          turn: points.length > 2,
        },
      ],
    }));
  },

  get frameRate() {
    return this.moveNow?.rate || 24;
  },
  get frameTime() {
    return 1 / this.frameRate;
  },
  get timeWords() {
    const frame = Math.min(Math.round(this.time * this.frameRate) + 1, this.frameCount);
    return `${stores.v.number(this.time, 2)} s, frame ${frame} of ${this.frameCount}`;
  },
  get frameCount() {
    return this.fr.move?.frames || this.track?.frames || 1;
  },
  scrub(t) {
    this.time = Math.min(Math.max(Number(t), 0), this.lasts(this.moveNow));
    this.pose();
    this.lookSoon(150);
  },
  stepFrame(by) {
    const r = this.frameRate;
    this.playing = false;
    return this.scrub((Math.round(this.time * r) + by) / r);
  },
  // pose shows the frame at the time, from the track.
  pose() {
    const t = Alpine.raw(this.track);
    if (!t?.poses.length || !stores.v.lens) return;
    stores.v.lens.pose(t.poses[Math.min(Math.round(this.time * t.rate), t.poses.length - 1)]);
  },
  play() {
    this.playing = !this.playing;
    if (!this.playing) {
      this.pose();
      return this.lookSoon(50);
    }
    const t = Alpine.raw(this.track);
    if (!t?.poses.length) {
      this.playing = false;
      return stores.v.say("The move is being worked out; try again in a moment.");
    }
    const rate = t.rate,
      frames = t.poses.length,
      first = this.fr.move?.first || 0,
      last = Math.min(this.fr.move?.last ?? frames - 1, frames - 1);
    let began = performance.now(),
      from = Math.round(this.time * rate),
      shown = from;
    if (from >= last) from = first;
    this.dropped = 0;
    shown = from - 1;
    const tick = (now) => {
      if (!this.playing) return;
      let at = from + Math.floor(((now - began) / 1000) * rate);
      if (at > last) {
        if (!this.loop) {
          this.time = last / rate;
          this.playing = false;
          this.pose();
          return this.lookSoon(50);
        }
        began = now;
        from = first;
        at = first;
        shown = first - 1;
      }
      if (at > shown) {
        this.dropped += at - shown - 1; // in real time what comes too late is left out, and counted
        shown = at;
        this.time = at / rate;
        stores.v.lens.pose(t.poses[at]);
      }
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
  },
};
