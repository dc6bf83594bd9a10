// A take that is done, finished while it is looked at: its linear values come once, and the finish is drawn on them at
// once, also while something of it is dragged.
import { WebGLRenderer } from "three";
import { call, post } from "./ask.js";
import { Finisher, floats, tableOf } from "./chain.js";
import { pull } from "./drag.js";
import { drawScopes } from "./scopes.js";
import { stores } from "./stores.js";

let renderer,
  finisher,
  raw, // of the take that is looked at: { take, name, texture, w, h, scale, frame, window }
  wanted, // what is to be drawn next: { canvas, steps, take }
  drawing = false,
  numbered = 0;
const tables = new Map(); // of looks, by name

// tableFor is the table of a look; null of none.
export async function tableFor(name) {
  if (!name) return null;
  if (!tables.has(name)) {
    const text = new TextDecoder().decode(await call(`/blobs/${name}?as=cube`, { raw: true }));
    tables.set(name, tableOf(text));
  }
  return tables.get(name);
}
// known is a table that was asked for before; null until it is there, and then the page is told.
export function known(name) {
  if (!name || tables.has(name)) return tables.get(name) || null;
  tableFor(name).then(() => stores.v.lens?.invalidate()).catch((e) => stores.v.say(e.message, true));
  return null;
}

// rawOf asks for the linear values of a take, as wide as there is room for.
async function rawOf(take, wide) {
  const { told, picture } = await call(`/api/takes/${take}/raw?wide=${wide}`, { picture: true }),
    values = new Float32Array(await picture.arrayBuffer()),
    { width: w, height: h, scale, window: win, hidden } = told,
    n = w * h,
    data = new Float32Array(4 * n);
  for (let i = 0; i < n; i++) {
    data[4 * i] = values[3 * i];
    data[4 * i + 1] = values[3 * i + 1];
    data[4 * i + 2] = values[3 * i + 2];
    data[4 * i + 3] = hidden ? values[3 * n + i] : 1;
  }
  return {
    take,
    name: `${take} ${++numbered}`,
    texture: floats(data, w, h),
    w,
    h,
    scale,
    frame: [0, 0, w, h],
    window: [win.left, win.right, win.top, win.bottom],
  };
}

// drawn draws what is wanted, the newest, until nothing is; false where the browser cannot.
async function draw() {
  if (!renderer) {
    renderer = new WebGLRenderer({ antialias: false });
    if (!renderer.extensions.has("EXT_color_buffer_float")) throw new Error("no pictures of floating point");
    finisher = new Finisher(renderer);
  }
  while (wanted) {
    const { canvas, steps, take } = wanted;
    wanted = null;
    if (raw?.take !== take) {
      const next = await rawOf(take, stores.v.lens?.plain ? 960 : 2730);
      raw?.texture.dispose();
      raw = next;
    }
    const table = await tableFor(steps.look.table);
    const { w, h } = raw;
    renderer.setSize(w, h, false);
    const began = performance.now();
    finisher.draw({ ...raw, table }, steps);
    if (canvas.width !== w || canvas.height !== h) Object.assign(canvas, { width: w, height: h });
    canvas.getContext("2d").drawImage(renderer.domElement, 0, 0);
    canvas.dataset.cost = (performance.now() - began).toFixed(1);
    canvas.dataset.steps = JSON.stringify(steps);
    stores.shoot.liveOf = take;
    stores.shoot.liveDrawn++;
  }
}

export function finishing() {
  return {
    developed: null, // { take } while it is seen as the finish is now
    trying: null, // what is being dragged of it: { step, key, x }
    liveOf: "", // the take that is drawn in the page
    liveDrawn: 0,
    besideAt: 0, // left of it, in percent of the width, the take is seen as it was finished
    comparing: false,
    clicksGrey: false, // the next click in the take says what is grey
    scopesOpen: false,
    keptFinishes: [],
    finishName: "",
    encoding: "sRGB",
    bits: "8",
    // finishNow are all steps as they are, over what they begin with, with what is being dragged.
    get finishNow() {
      const kept = stores.v.st?.set.finish || {},
        steps = {};
      for (const s of stores.v.schema?.finish || []) {
        steps[s.name] = { ...Object.fromEntries(s.fields.map((f) => [f.key, f.default])), ...kept[s.name] };
        if (this.trying?.step === s.name) steps[s.name][this.trying.key] = this.trying.x;
      }
      return steps;
    },
    // tryFinish shows what a slider that is held would make of it.
    tryFinish(step, key, x) {
      this.trying = { step: step.name, key, x };
      this.seeSo();
    },
    // seeSo shows the take as the finish is now, where there is one that is done.
    seeSo() {
      if (this.canDevelop && this.developed?.take !== this.shown.id) this.developOn();
    },
    putFinish(step, key, x) {
      this.seeSo();
      return stores.v.setFinish(step, key, x).then(() => {
        if (this.trying?.step === step.name && this.trying.key === key) this.trying = null;
      });
    },
    get canDevelop() {
      return Boolean(this.shown?.result.exr && this.shown.state === "done");
    },
    get developWords() {
      return this.developed?.take === this.shown?.id ? "as it was finished" : "see the take so";
    },
    developOn() {
      this.developed = this.developed?.take === this.shown.id ? null : { take: this.shown.id };
      this.balance = null;
    },
    // live says whether the take that is shown is drawn here.
    get live() {
      const id = this.shown?.id;
      return this.developed?.take === id && this.liveOf === id;
    },
    get liveStyle() {
      return this.comparing ? { clipPath: `inset(0 0 0 ${this.besideAt}%)` } : {};
    },
    get besideStyle() {
      return { left: `${this.besideAt}%` };
    },
    // drawLive draws the take on a canvas as the finish is now.
    drawLive(canvas) {
      const take = this.developed?.take,
        steps = this.finishNow;
      if (!take || take !== this.shown?.id || !steps.tone) return;
      wanted = { canvas, take, steps };
      if (drawing) return;
      drawing = true;
      draw()
        .catch((e) => {
          wanted = null;
          this.developed = null;
          stores.v.say(`It cannot be shown so: ${e.message}`, true);
        })
        .finally(() => {
          drawing = false;
        });
    },
    get parted() {
      return this.comparing && this.live;
    },
    compareOn() {
      this.comparing = !this.parted;
      if (!this.comparing) return;
      this.besideAt = 50;
      this.seeSo();
    },
    // part moves where the take as it was finished ends.
    part(e) {
      const box = e.currentTarget.parentElement.getBoundingClientRect(),
        old = this.besideAt;
      pull(
        e.currentTarget,
        e,
        (m) => {
          this.besideAt = Math.min(Math.max((100 * (m.clientX - box.x)) / box.width, 0), 100);
        },
        (moved) => {
          if (moved === null) this.besideAt = old;
        },
      );
    },
    partBy(x) {
      this.besideAt = Math.min(Math.max(this.besideAt + x, 0), 100);
    },
    scopesOn() {
      this.scopesOpen = !this.scopesOpen;
    },
    get seesScopes() {
      return this.scopesOpen && this.seesStill;
    },
    // scope draws the scopes of what is shown, each time that it is drawn.
    scope(box) {
      const source = this.live ? document.querySelector("[data-live]") : this.shownPicture;
      if (this.liveDrawn >= 0) drawScopes(box, source);
    },
    async finishTake() {
      const t = this.shown;
      stores.v.say(`Finishing ${t.name} …`);
      try {
        await post(`/api/takes/${t.id}/develop`, { finish: stores.v.st.set.finish || {} });
        this.developed = null;
        await stores.v.reload();
        stores.v.say(`${t.name} is finished so`);
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    greyOn() {
      this.clicksGrey = !this.clicksGrey;
      stores.v.say(this.clicksGrey ? "click what is grey in the take" : "");
    },
    // greyAt balances white for a place of the take that is shown.
    async greyAt(e) {
      if (!this.clicksGrey || !this.canDevelop) return;
      const box = e.currentTarget.getBoundingClientRect(),
        x = (e.clientX - box.x) / box.width,
        y = (e.clientY - box.y) / box.height;
      this.clicksGrey = false;
      try {
        const white = await call(`/api/takes/${this.shown.id}/white?x=${x}&y=${y}`);
        await stores.v.does("change set", { patch: { finish: { white } } });
        this.seeSo();
      } catch (err) {
        stores.v.say(err.message, true);
      }
    },
    // Finishes that are kept by name, in all productions
    async openFinishes() {
      try {
        this.keptFinishes = await call("/api/kept/finishes");
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    async keepFinish() {
      const name = this.finishName.trim();
      try {
        await post(`/api/productions/${stores.v.st.production.id}/finishes`, {
          name,
          finish: stores.v.st.set.finish || {},
        });
        this.finishName = "";
        stores.v.say(`The finish ${name} is kept, in every production`);
      } catch (e) {
        stores.v.say(e.message, true);
      }
      await this.openFinishes();
    },
    putOnFinish(id) {
      const k = this.keptFinishes.find((x) => x.id === id);
      if (!k) return;
      this.seeSo();
      // What is not named in it is as it begins: a change lays names over those that are there.
      const change = (finish) => ({ op: "change set", args: { patch: { finish } } });
      return stores.v.edit(change(null), change(k.doc));
    },
    async dropFinish(k) {
      try {
        await post(`/api/productions/${k.productionId}/finishes/${k.id}/away`, {});
      } catch (e) {
        stores.v.say(e.message, true);
      }
      await this.openFinishes();
    },
    finishWhere(k) {
      return k.name + (k.productionId === stores.v.st?.production.id ? "" : `, of ${k.production}`);
    },
    // giveFinish gives the finish to another shot, or to all of them.
    giveFinish(id) {
      const { finish } = stores.v.st.set,
        shots = stores.v.st.shots.filter((s) => id === "all" || s.id === id);
      return stores.v.edit(
        ...shots.flatMap((s) =>
          [null, finish || {}].map((f) => ({ op: "change shot", args: { id: s.id, patch: { finish: f } } })),
        ),
      );
    },
    get writtenURL() {
      const t = this.shown;
      return t ? `/api/takes/${t.id}/written?encoding=${encodeURIComponent(this.encoding)}&bits=${this.bits}` : "";
    },
    get shownPicture() {
      const id = this.shown?.id;
      return (this.balance?.take === id && this.balance?.url) || (this.shown ? this.picture(this.shown) : "");
    },
  };
}

