// Camera, light, shots and takes.
import { call, pngURL, post } from "./ask.js";
import { stores } from "./stores.js";

const page = document.documentElement.dataset;

const asking = new Set(); // kinds of pictures that are asked for

// newest shows pictures of what is looked at, of(); null: nothing is any more. One of a kind is asked for at a time,
// the newest, until what is seen is what url tells. It tells whether that went well.
async function newest(kind, of, url) {
  if (asking.has(kind)) return true;
  asking.add(kind);
  try {
    let seen = "";
    for (let what = of(); what && url(what) !== seen; what = of()) {
      seen = url(what);
      const picture = pngURL(await call(seen, { raw: true })),
        now = of();
      if (now?.take === what.take) {
        URL.revokeObjectURL(now.url);
        now.url = picture;
      } else URL.revokeObjectURL(picture);
    }
    return true;
  } catch (e) {
    stores.v.say(e.message, true);
    return false;
  } finally {
    asking.delete(kind);
  }
}

export const shooting = {
  view(patch) {
    return stores.v.does("change set", { patch: { view: patch } });
  },
  light(patch) {
    return stores.v.does("change set", { patch: { light: patch } });
  },
  get shot() {
    return stores.v.st?.shots.find((s) => s.id === stores.v.st.set.shot) || null;
  },
  async keepAs() {
    const r = await stores.v.does("keep shot", { name: stores.v.shotName || "shot" });
    if (r) stores.v.shotName = "";
  },
  goShot(id) {
    const left = stores.v.st.changed && this.shot?.name;
    stores.film.time = 0;
    stores.film.playing = false;
    return stores.v.does("go to shot", { id }).then((r) => {
      if (r && left) stores.v.say(`${r.label}; the changed view of ${left} was left, Undo brings it back`);
      return r;
    });
  },
  // frameSnags are those of the view that is seen first, then of other shots.
  get frameSnags() {
    const own = stores.v.st?.set.shot;
    return this.snags("frame")
      .slice()
      .sort((a, b) => Number(Boolean(a.shot) && a.shot !== own) - Number(Boolean(b.shot) && b.shot !== own))
      .slice(0, 12);
  },
  snags(step) {
    return (stores.v.st?.snags || []).filter((s) => s.step === step);
  },
  mend(s) {
    if (s.shot && s.shot !== stores.v.st.set.shot) {
      stores.v.say(
        `This is about ${stores.v.st.shots.find((x) => x.id === s.shot)?.name || "another shot"}: it was gone to.`,
      );
      return this.goShot(s.shot).then(() => this.mend({ ...s, shot: "" }));
    }
    if (s.fix === "fit") return stores.v.does("fit range");
    if (s.fix === "keep") return stores.v.does("keep shot");
    if (s.fix === "straight") return stores.v.does("straighten");
    if (s.fix === "level") return this.view({ roll: 0 });
    if (s.fix === "eye") return stores.v.does("eye height", { metres: 1.6 });
    if (s.fix === "focus") return stores.v.does("focus", { id: s.id });
    const things = (s.ids || [s.id]).filter((id) => stores.dress.placement(id));
    if (s.fix === "ground") return stores.v.does("put down", { ids: things });
    if (s.fix === "clear" || s.fix === "part")
      return stores.v.does(s.fix === "clear" ? "move out" : "set apart", { id: s.id });
    if (s.fix === "vary") return stores.v.does("vary", { ids: things, seed: stores.dress.seed++ });
    if (s.fix === "hide") return stores.dress.hideUnseen();
    if (s.fix === "propose") {
      const p = stores.v.st.pieces.find((x) => x.id === s.id);
      return p?.proposal && stores.v.edit(stores.size.sizing(p.id, p.proposal));
    }
    if (s.fix === "even") {
      return stores.v.does("true size", { of: "proportions", id: s.id });
    }
    if (s.fix === "sized") {
      return stores.v.does("change piece", { id: s.id, patch: { sizing: { decided: true } } });
    }
    if (s.step === "size") {
      stores.v.piece = s.id;
      stores.v.go("size");
    }
  },

  async options(patch) {
    const p = stores.v.st.production;
    try {
      await post(`/api/productions/${p.id}/options`, { unit: p.unit, budget: p.budget, ...patch });
      await stores.v.reload();
    } catch (e) {
      stores.v.say(e.message, true);
    }
  },
  setTone(t) {
    stores.v.tone = localStorage.tone = t;
    document.documentElement.dataset.tone = t;
  },

  // Takes
  // asked is what a take is asked for with.
  asked(kind) {
    return {
      width: Number(stores.v.take.width),
      samples: Number(stores.v.take.samples),
      seconds: Number(stores.v.take.seconds),
      denoise: stores.v.take.denoise,
      apart: stores.v.take.apart,
      noise: Number(stores.v.take.noise) / 100,
      even: !stores.v.take.adaptive || stores.v.take.shared,
      shared: stores.v.take.shared,
      layers: kind === "still" || stores.v.take.linear ? [...stores.v.take.layers] : [],
      linear: kind !== "still" && stores.v.take.linear,
      editing: kind !== "still" && stores.v.take.editing,
      halves: stores.v.take.halves,
      packed: stores.v.take.packed,
      blur: kind !== "still" && stores.v.take.blur,
      keep: kind === "still" && stores.v.take.keep,
      region: kind === "still" ? stores.shoot.regionPixels : null,
      bounces: 4,
      seed: 1,
    };
  },
  async shootTake(kind, around = "") {
    const settings = this.asked(kind);
    if (around) Object.assign(settings, { around, region: null });
    if (kind === "turntable")
      Object.assign(settings, { about: stores.dress.one?.id || "", lasts: Number(stores.v.take.lasts) });
    try {
      await post(`/api/sets/${page.set}/takes`, {
        shot: stores.v.st.changed || !this.shot ? "" : stores.v.st.set.shot,
        kind,
        settings,
      });
      stores.v.say("The take is in the queue.");
    } catch (e) {
      stores.v.say(e.message, true);
    }
    await stores.v.reload();
  },
  turnAround() {
    return this.shootTake("turntable");
  },
  get turnWords() {
    return stores.dress.one ? `around ${stores.dress.one.name}` : "around what is in focus";
  },
  // asIn makes the working view what a take was shot with, as one edit.
  asIn(t) {
    const { view, light, finish } = t.settings,
      change = (patch) => ({ op: "change set", args: { patch } });
    // What is not named in it is as it begins: a change lays names over those that are there.
    return stores.v.edit(
      change({ finish: null, light: { lamps: null } }),
      change({ view, light, finish: finish || {} }),
    );
  },
  // backToSet makes the set what it was when a take was asked for, as one edit.
  backToSet(t, pieces = false) {
    return stores.v.does("go back to take", { take: t.id, pieces });
  },
  shotOf(t) {
    return stores.v.does("keep shot of take", { take: t.id, name: t.name });
  },
  // ownSet opens the set of a take as one of its own.
  async ownSet(t) {
    try {
      const { set } = await post(`/api/takes/${t.id}/set`, { name: "" });
      location.href = `/sets/${set}/frame`;
    } catch (e) {
      stores.v.say(e.message, true);
    }
  },
  async stopTake(id) {
    await post(`/api/takes/${id}/cancel`, {}).catch((e) => stores.v.say(e.message, true));
    await stores.v.reload();
  },
  async binTake(t) {
    try {
      await post(`/api/takes/${t.id}/bin`, {});
      stores.v.say(`${t.name} lies in the bin for 30 days: it is brought back on the first page.`);
    } catch (e) {
      stores.v.say(e.message, true);
    }
    await stores.v.reload();
  },
  picture(t) {
    const r = t.result || {};
    const h = r.png || r.preview || r.frames?.find(Boolean);
    return h ? `/blobs/${h}?as=png` : "";
  },
  fetchURL(hash, as, name) {
    return `/blobs/${hash}?as=${as}&name=${encodeURIComponent(name + "." + as)}`;
  },
  shotWords(s) {
    return s.name + (stores.v.st.set.shot === s.id && stores.v.st.changed ? " · changed" : "");
  },
  get viewWords() {
    return this.shot && !stores.v.st.changed ? this.shot.name : "working view";
  },
  // Lights of a finished take
  balance: null, // { take, gains, url } while one is balanced
  // gains are what is done to each kind of light of the take that is shown.
  get gains() {
    const t = this.shown;
    if (!t?.result.groups) return [];
    if (this.balance?.take === t.id) return this.balance.gains;
    return t.result.groups.map((g) => ({ name: g.name, stops: 0, on: true, tint: "" }));
  },
  gainWords(g) {
    return g.on ? `${g.stops < 0 ? "" : "+"}${stores.v.number(g.stops, 1)} stops` : "out";
  },
  gainsAsked(gains) {
    const by = gains.map((g) => (g.on ? Math.pow(2, g.stops) : 0)).join(),
      tint = gains.map((g) => g.tint).join();
    return `by=${by}&tint=${encodeURIComponent(tint)}`;
  },
  // gain changes what is done to one kind, and shows it: one picture at a time is asked for, the newest.
  gain(i, change) {
    const take = this.shown.id,
      gains = this.gains.map((g, k) => (k === i ? { ...g, ...change } : g));
    this.balance = { take, gains, url: this.balance?.take === take ? this.balance.url : "" };
    this.mix();
  },
  mix() {
    return newest(
      "balance",
      () => this.balance,
      (b) => `/api/takes/${b.take}/mix?${this.gainsAsked(b.gains)}`,
    );
  },
  async writeBack() {
    try {
      await post(`/api/takes/${this.shown.id}/mix?${this.gainsAsked(this.gains)}`, {});
      await stores.v.reload();
      stores.v.say("The lights of the set are as they were balanced: a new render gives this picture.");
    } catch (e) {
      stores.v.say(e.message, true);
    }
  },
  asRendered() {
    this.balance = null;
  },
  get shownStill() {
    return this.shown && !this.shown.result.mp4 && this.picture(this.shown);
  },
  get shown() {
    const t = stores.v.st?.takes || [];
    return t.find((x) => x.id === stores.v.compare) || t.find((x) => this.picture(x)) || t[0] || null;
  },
};
