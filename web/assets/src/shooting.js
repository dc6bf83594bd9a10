// Camera, light, shots and takes.
import { call, post } from "./ask.js";

const page = document.documentElement.dataset;

export const shooting = {
  view(patch) {
    return this.does("change set", { patch: { view: patch } });
  },
  light(patch) {
    return this.does("change set", { patch: { light: patch } });
  },
  get shot() {
    return this.st?.shots.find((s) => s.id === this.st.set.shot) || null;
  },
  async keepAs() {
    const r = await this.does("keep shot", { name: this.shotName || "shot" });
    if (r) this.shotName = "";
  },
  goShot(id) {
    const left = this.st.changed && this.shot?.name;
    this.time = 0;
    this.playing = false;
    return this.does("go to shot", { id }).then((r) => {
      if (r && left) this.say(`${r.label}; the changed view of ${left} was left, Undo brings it back`);
      return r;
    });
  },
  // frameSnags are those of the view that is seen first, then of other shots.
  get frameSnags() {
    const own = this.st?.set.shot;
    return this.snags("frame")
      .slice()
      .sort((a, b) => Number(Boolean(a.shot) && a.shot !== own) - Number(Boolean(b.shot) && b.shot !== own))
      .slice(0, 12);
  },
  snags(step) {
    return (this.st?.snags || []).filter((s) => s.step === step);
  },
  mend(s) {
    if (s.shot && s.shot !== this.st.set.shot) {
      this.say(
        `This is about ${this.st.shots.find((x) => x.id === s.shot)?.name || "another shot"}: it was gone to.`,
      );
      return this.goShot(s.shot).then(() => this.mend({ ...s, shot: "" }));
    }
    if (s.fix === "fit") return this.does("fit range");
    if (s.fix === "keep") return this.does("keep shot");
    if (s.fix === "straight") return this.does("straighten");
    if (s.fix === "level") return this.view({ roll: 0 });
    if (s.fix === "eye") return this.does("eye height", { metres: 1.6 });
    if (s.fix === "focus") return this.does("focus", { id: s.id });
    const things = (s.ids || [s.id]).filter((id) => this.placement(id));
    if (s.fix === "ground") return this.does("put down", { ids: things });
    if (s.fix === "clear" || s.fix === "part")
      return this.does(s.fix === "clear" ? "move out" : "set apart", { id: s.id });
    if (s.fix === "vary") return this.does("vary", { ids: things, seed: this.seed++ });
    if (s.fix === "hide") return this.hideUnseen();
    if (s.fix === "propose") {
      const p = this.st.pieces.find((x) => x.id === s.id);
      return p?.proposal && this.edit(this.sizing(p.id, p.proposal));
    }
    if (s.fix === "even") {
      return this.does("true size", { of: "proportions", id: s.id });
    }
    if (s.fix === "sized") {
      return this.does("change piece", { id: s.id, patch: { sizing: { decided: true } } });
    }
    if (s.step === "size") {
      this.piece = s.id;
      this.go("size");
    }
  },

  async panorama(file) {
    if (!file) return;
    try {
      const r = await call(`/api/productions/${this.st.production.id}/panorama`, { method: "POST", body: file });
      await this.light({ sky: "panorama", panorama: r.blob });
    } catch (e) {
      this.say(e.message, true);
    }
  },
  async options(patch) {
    const p = this.st.production;
    try {
      await post(`/api/productions/${p.id}/options`, { unit: p.unit, budget: p.budget, ...patch });
      await this.reload();
    } catch (e) {
      this.say(e.message, true);
    }
  },
  setTone(t) {
    this.tone = localStorage.tone = t;
    document.documentElement.dataset.tone = t;
  },

  // Takes
  async shootTake(kind) {
    const settings = {
      width: Number(this.take.width),
      samples: Number(this.take.samples),
      seconds: Number(this.take.seconds),
      denoise: this.take.denoise,
      bounces: 4,
      seed: 1,
    };
    try {
      await post(`/api/sets/${page.set}/takes`, {
        shot: this.st.changed || !this.shot ? "" : this.st.set.shot,
        kind,
        settings,
      });
      this.say("The take is in the queue.");
    } catch (e) {
      this.say(e.message, true);
    }
    await this.reload();
  },
  async stopTake(id) {
    await post(`/api/takes/${id}/cancel`, {}).catch((e) => this.say(e.message, true));
    await this.reload();
  },
  async binTake(t) {
    try {
      await post(`/api/takes/${t.id}/bin`, {});
      this.say(`${t.name} lies in the bin for 30 days: it is brought back on the first page.`);
    } catch (e) {
      this.say(e.message, true);
    }
    await this.reload();
  },
  picture(t) {
    const r = t.result || {};
    const h = r.png || r.preview || r.frames?.[0];
    return h ? `/blobs/${h}?as=png` : "";
  },
  fetchURL(hash, as, name) {
    return `/blobs/${hash}?as=${as}&name=${encodeURIComponent(name + "." + as)}`;
  },
  shotWords(s) {
    return s.name + (this.st.set.shot === s.id && this.st.changed ? " · changed" : "");
  },
  get viewWords() {
    return this.shot && !this.st.changed ? this.shot.name : "working view";
  },
  get shownStill() {
    return this.shown && !this.shown.result.mp4 && this.picture(this.shown);
  },
  get shown() {
    const t = this.st?.takes || [];
    return t.find((x) => x.id === this.compare) || t.find((x) => this.picture(x)) || t[0] || null;
  },
};
