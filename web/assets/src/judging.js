// Takes on the light table: laid over one another, marked, made better.
import { call, pngURL, post } from "./ask.js";
import { pull } from "./drag.js";
import { stores } from "./stores.js";

const calm = matchMedia("(prefers-reduced-motion: reduce)");
let blinking = 0,
  watching = 0,
  known = {}; // states of takes by id, as they were told last

export function judging() {
  return {
    seenAs: "picture", // what the picture's place shows: picture, light table, laid over or noise
    noisy: "", // the picture of the noise
    // Two takes laid over one another: how, where they are parted, and how both are looked at.
    over: { one: "", two: "", way: "wipe", at: 50, flip: false, zoom: 1, x: 0, y: 0, heat: "", told: null },
    ways: ["wipe", "blink", "beside", "difference"],
    more: { samples: 256, noise: 0 },
    get seenWays() {
      const list = ["picture", "light table", "queue", "deliver"];
      if (this.over.one && this.over.two) list.push("laid over");
      if (this.canDevelop) list.push("noise");
      return list;
    },
    async seeAs(way) {
      this.seenAs = way;
      if (way === "queue") this.watchQueue();
      if (way === "deliver") this.watchParcels();
      if (way !== "noise") return;
      const t = this.shown;
      try {
        const picture = pngURL(await call(`/api/takes/${t.id}/noise`, { raw: true }));
        URL.revokeObjectURL(this.noisy);
        this.noisy = picture;
      } catch (e) {
        this.seenAs = "picture";
        stores.v.say(e.message, true);
      }
    },
    sees(way) {
      return this.seenAs === way;
    },
    take(id) {
      return (stores.v.st?.takes || []).find((t) => t.id === id) || null;
    },
    show(t) {
      stores.v.compare = t.id;
      this.seenAs = "picture";
    },
    // rows are the shots with their takes, in the order in which they were made.
    get rows() {
      const takes = (stores.v.st?.takes || []).slice().reverse(),
        of = (id) => takes.filter((t) => t.shot === id),
        rows = (stores.v.st?.shots || []).map((s) => ({ id: s.id, name: s.name, takes: of(s.id) })),
        known = new Set(rows.map((r) => r.id)),
        rest = takes.filter((t) => !known.has(t.shot));
      if (rest.length) rows.push({ id: "", name: "working view", takes: rest });
      return rows;
    },
    mark(t, patch) {
      return post(`/api/takes/${t.id}/marks`, patch)
        .then(() => stores.v.reload())
        .catch((e) => stores.v.say(e.message, true));
    },
    starsTo(t, n) {
      return this.mark(t, { stars: (t.marks.stars || 0) === n ? n - 1 : n });
    },
    starWord: (t, n) => ((t.marks.stars || 0) >= n ? "★" : "☆"),
    isPicked(t) {
      return this.over.one === t.id || this.over.two === t.id;
    },
    // pick takes a take up to be laid over another: two are held, the one that was taken up first is laid down.
    pick(t) {
      const o = this.over;
      if (o.one === t.id) [o.one, o.two] = [o.two, ""];
      else if (o.two === t.id) o.two = "";
      else if (!o.one) o.one = t.id;
      else {
        if (o.two) o.one = o.two;
        o.two = t.id;
      }
      o.told = null;
      o.heat = "";
      if (o.one && o.two) this.layOver();
    },
    async layOver() {
      const { over } = this,
        { one, two } = over;
      this.seenAs = "laid over";
      try {
        const told = await call(`/api/takes/${one}/against/${two}`);
        if (over.one === one && over.two === two) over.told = told;
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    async wayTo(way) {
      const { over } = this;
      over.way = way;
      over.flip = false;
      clearInterval(blinking);
      if (way === "blink" && !calm.matches)
        blinking = setInterval(() => {
          if (over.way !== "blink" || this.seenAs !== "laid over") clearInterval(blinking);
          else over.flip = !over.flip;
        }, 700);
      if (way === "difference" && !over.heat)
        try {
          over.heat = pngURL(await call(`/api/takes/${over.one}/heat/${over.two}`, { raw: true }));
        } catch (e) {
          stores.v.say(e.message, true);
        }
    },
    get overWords() {
      const t = this.over.told;
      if (!t) return "measuring …";
      const n = stores.v.number;
      return `${n(t.mean, 2)} apart on the average, ${n(t.most, 1)} at most but for a hundredth; ${n(
        100 * t.seen,
        1,
      )} % of the picture is seen to differ`;
    },
    // look is how both pictures are moved and enlarged.
    get look() {
      const { zoom, x, y } = this.over;
      return { transform: `translate(${x}px, ${y}px) scale(${zoom})` };
    },
    get upper() {
      const { way, at, flip } = this.over;
      if (way === "wipe") return { clipPath: `inset(0 0 0 ${at}%)` };
      if (way === "blink") return { visibility: flip ? "visible" : "hidden" };
      return {};
    },
    get beside() {
      return this.over.way === "beside";
    },
    enlarge(e) {
      const { over } = this,
        box = e.currentTarget.getBoundingClientRect(),
        zoom = Math.min(Math.max(over.zoom * Math.pow(1.0015, -e.deltaY), 1), 32),
        k = zoom / over.zoom,
        [cx, cy] = [e.clientX - box.x - box.width / 2, e.clientY - box.y - box.height / 2];
      if (zoom === 1) this.asWhole();
      else Object.assign(over, { zoom, x: cx - (cx - over.x) * k, y: cy - (cy - over.y) * k });
    },
    grab(e) {
      const { over } = this,
        [x, y, fx, fy] = [over.x, over.y, e.clientX, e.clientY];
      pull(
        e.currentTarget,
        e,
        (m) => Object.assign(over, { x: x + m.clientX - fx, y: y + m.clientY - fy }),
        (moved) => {
          if (moved === false && over.way === "blink") over.flip = !over.flip;
          if (moved === null) Object.assign(over, { x, y });
        },
      );
    },
    get wipeAt() {
      return { left: `${this.over.at}%` };
    },
    // wipe parts the two takes where the pointer is.
    wipe(e) {
      const { over } = this,
        box = e.currentTarget.parentElement.getBoundingClientRect(),
        old = over.at;
      pull(
        e.currentTarget,
        e,
        (m) => {
          over.at = Math.min(Math.max((100 * (m.clientX - box.x)) / box.width, 0), 100);
        },
        (moved) => {
          if (moved === null) over.at = old;
        },
      );
    },
    asWhole() {
      Object.assign(this.over, { zoom: 1, x: 0, y: 0 });
    },
    swap() {
      const { over } = this;
      [over.one, over.two] = [over.two, over.one];
      this.layOver();
    },
    // frameOf is the place of a take's picture: as large as there is room, of its proportions.
    frameOf(t) {
      const k = t.settings.width / t.settings.height;
      const below = this.seesScopes ? 136 : 0; // pixels
      return {
        aspectRatio: `${k}`,
        width: `min(100cqw, calc(${k} * (100cqh - ${below}px)))`,
        marginBottom: `${below}px`,
      };
    },
    // The region that the next still is made of, as shares of the picture.
    region: null,
    drawsRegion: false,
    regionOn() {
      this.drawsRegion = !this.drawsRegion;
      if (!this.drawsRegion) this.region = null;
      stores.v.say(this.drawsRegion ? "draw in the picture what is to be rendered" : "");
    },
    drawRegion(e) {
      if (!this.drawsRegion) return;
      e.preventDefault();
      const box = e.currentTarget.getBoundingClientRect(),
        at = (m) => [
          Math.min(Math.max((m.clientX - box.x) / box.width, 0), 1),
          Math.min(Math.max((m.clientY - box.y) / box.height, 0), 1),
        ],
        old = this.region,
        [fx, fy] = at(e);
      pull(
        e.currentTarget,
        e,
        (m) => {
          const [x, y] = at(m);
          this.region = [Math.min(x, fx), Math.min(y, fy), Math.max(x, fx), Math.max(y, fy)];
        },
        (moved) => {
          if (!moved) this.region = old;
        },
      );
    },
    // regionOfChange takes as region what changed since the newest still of what will be shot.
    async regionOfChange() {
      const shot = stores.v.st.changed || !this.shot ? "" : stores.v.st.set.shot;
      try {
        const { part, names } = await call(`/api/sets/${stores.v.st.set.id}/changed?shot=${shot}`);
        this.drawsRegion = true;
        this.region = part;
        const more = names.length > 5 ? ` and ${names.length - 5} more` : "";
        stores.v.say(`${names.slice(0, 5).join(", ")}${more} changed`);
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    get regionBox() {
      const [x0, y0, x1, y1] = this.region || [0, 0, 0, 0];
      return {
        left: `${100 * x0}%`,
        top: `${100 * y0}%`,
        width: `${100 * (x1 - x0)}%`,
        height: `${100 * (y1 - y0)}%`,
      };
    },
    get regionPixels() {
      if (!this.region) return null;
      const w = Math.round(Number(stores.v.take.width)),
        h = Math.max(Math.round(w / stores.v.st.set.view.aspect), 1),
        [x0, y0, x1, y1] = this.region,
        px = [Math.floor(x0 * w), Math.floor(y0 * h), Math.ceil(x1 * w), Math.ceil(y1 * h)];
      return px[2] > px[0] && px[3] > px[1] ? px : null;
    },
    get regionWords() {
      const p = this.regionPixels;
      return p ? `${p[2] - p[0]} × ${p[3] - p[1]} px` : "";
    },
    // goOn has the take that is shown made better.
    async goOn() {
      const t = this.shown;
      try {
        await post(`/api/takes/${t.id}/more`, {
          samples: Number(this.more.samples),
          noise: Number(this.more.noise) / 100,
          seconds: 0,
        });
        stores.v.say(`${t.name} goes on.`);
      } catch (e) {
        stores.v.say(e.message, true);
      }
      await stores.v.reload();
    },
    get canGoOn() {
      const t = this.shown;
      return Boolean(t?.result.film && t.state !== "waiting" && t.state !== "working");
    },
    edgeOf(t) {
      if (this.isPicked(t)) return "border-act";
      return t.marks.current ? "border-ink" : "border-line";
    },
    hasStars: (t, n) => (t.marks.stars || 0) >= n,
    sizeWords(t) {
      return `${t.settings.width} × ${t.settings.height}${this.noiseWords(t.result)}`;
    },
    madeWords(t) {
      const n = stores.v.number,
        { view } = t.settings;
      return `, ${t.result.samples} samples${this.noiseWords(t.result)} in ${n(t.result.seconds, 1)} s, ${n(
        view.focal,
        1,
      )} mm f/${n(view.fNumber, 1)}`;
    },
    standing(t) {
      if (t.state !== "done") return t.state;
      return t.marks.current ? "the shot’s" : "";
    },
    flipOver() {
      this.over.flip = !this.over.flip;
    },
    get heated() {
      return this.over.way === "difference" && this.over.heat;
    },
    overPicture(which) {
      const t = this.take(this.over[which]);
      return t ? this.picture(t) : "";
    },
    get overDiffers() {
      return this.over.told?.words || [];
    },
    get alike() {
      return Boolean(this.over.told && !this.overDiffers.length);
    },
    get seesNoise() {
      return this.sees("noise") && this.noisy;
    },
    get seesVideo() {
      return this.sees("picture") && this.shown?.result.mp4;
    },
    get seesStill() {
      return this.sees("picture") && this.shownStill;
    },
    get seesNothing() {
      return this.sees("picture") && !(this.shown && this.picture(this.shown));
    },
    get layerWords() {
      const n = stores.v.take.layers.length;
      return n ? `${stores.v.count(n, "layer", "layers")} in the OpenEXR` : "layers for compositing";
    },
    // The queue of all productions
    queue: [],
    tonight: "22:00",
    async watchQueue() {
      clearTimeout(watching);
      if (!this.sees("queue")) return;
      try {
        this.queue = await call("/api/queue");
      } catch (e) {
        stores.v.say(e.message, true);
      }
      watching = setTimeout(() => this.watchQueue(), 2000);
    },
    async arrange(q, order) {
      try {
        await post(`/api/takes/${q.id}/queue`, order);
      } catch (e) {
        stores.v.say(e.message, true);
      }
      await this.watchQueue();
    },
    // earlier has a take made before the one before it.
    earlier(i) {
      return this.arrange(this.queue[i], { do: "before", other: this.queue[i - 1].id });
    },
    canEarlier(i) {
      return i > 0 && this.queue[i].state === "waiting" && this.queue[i - 1].state === "waiting";
    },
    canHold: (q) => q.state === "waiting" || q.state === "working",
    canStart: (q) => q.state === "held" || q.state === "failed",
    // putOff has a take made at the next time that a clock shows what was typed.
    putOff(q) {
      const [h, m] = this.tonight.split(":").map(Number),
        at = new Date();
      at.setHours(h, m, 0, 0);
      if (at <= new Date()) at.setDate(at.getDate() + 1);
      return this.arrange(q, { do: "at", at: at.toISOString() });
    },
    stopQueued(q) {
      return this.stopTake(q.id).then(() => this.watchQueue());
    },
    queueWords(q) {
      const parts = [q.state];
      if (q.due && q.state === "waiting") parts.push(`from ${new Date(q.due).toLocaleString()}`);
      if (q.note) parts.push(q.note);
      return parts.join(", ");
    },
    // Parcels
    parcels: [],
    parcelParts: [],
    packed: ["pictures", "linear", "finish", "glb", "papers", "credits"],
    wholeProduction: false,
    async watchParcels() {
      clearTimeout(watching);
      if (!this.sees("deliver")) return;
      try {
        const { parcels, parts } = await call(`/api/productions/${stores.v.st.production.id}/parcels`);
        this.parcels = parcels;
        this.parcelParts = parts;
      } catch (e) {
        stores.v.say(e.message, true);
      }
      watching = setTimeout(() => this.watchParcels(), 1500);
    },
    async pack() {
      const set = this.wholeProduction ? "" : stores.v.st.set.id;
      try {
        await post(`/api/productions/${stores.v.st.production.id}/parcels`, { set, parts: [...this.packed] });
      } catch (e) {
        stores.v.say(e.message, true);
      }
      await this.watchParcels();
    },
    async stopParcel(p) {
      await post(`/api/parcels/${p.id}/cancel`, {}).catch((e) => stores.v.say(e.message, true));
      await this.watchParcels();
    },
    isUnderWay: (p) => p.state === "waiting" || p.state === "working",
    parcelWords(p) {
      const n = stores.v.number;
      if (p.state === "done") return `${p.result.files} files, ${n(p.result.bytes / 1e6, 1)} MB`;
      return [p.state, p.note].filter(Boolean).join(", ");
    },
    // All kept shots at once
    allSizes: "1280",
    async shootAll() {
      const widths = this.allSizes.split(/[ ,]+/).filter(Boolean).map(Number);
      try {
        const settings = this.asked("still"),
          { takes } = await post(`/api/sets/${stores.v.st.set.id}/takes/all`, { settings, widths });
        stores.v.say(`${stores.v.count(takes, "take is", "takes are")} in the queue.`);
      } catch (e) {
        stores.v.say(e.message, true);
      }
      await stores.v.reload();
    },
    // What is done is told, also to whoever looks elsewhere.
    tells: localStorage.tells === "yes",
    async tellsOn() {
      this.tells = !this.tells && (await Notification.requestPermission()) === "granted";
      localStorage.tells = this.tells ? "yes" : "no";
    },
    // tellEnded tells what ended since it was asked last.
    tellEnded() {
      const takes = stores.v.st?.takes || [],
        was = known;
      for (const t of takes)
        if ((was[t.id] === "working" || was[t.id] === "waiting") && (t.state === "done" || t.state === "failed")) {
          const words = `${t.name} is ${t.state}`;
          stores.v.say(words, t.state === "failed");
          if (this.tells && document.hidden) new Notification(words, { tag: t.id });
        }
      known = Object.fromEntries(takes.map((t) => [t.id, t.state]));
    },
    // lookOf lays a .cube file over what the screen shows.
    async lookOf(files) {
      if (!files.length) return;
      try {
        const { table, title } = await call(`/api/productions/${stores.v.st.production.id}/look`, {
          method: "POST",
          body: files[0],
        });
        const share = stores.v.st.set.finish?.look?.share ?? 1;
        await stores.v.does("change set", { patch: { finish: { look: { table, share } } } });
        stores.v.say(`${title || files[0].name} is laid over the picture.`);
      } catch (e) {
        stores.v.say(`${files[0].name}: ${e.message}`, true);
      }
    },
    // Moves: some frames again, a look while they are made
    framesFrom: 1,
    framesTo: 1,
    get hasFrames() {
      return Boolean(this.shown?.kind === "move" && this.shown.result.frames?.some(Boolean));
    },
    get framesWords() {
      const list = this.shown?.result.frames || [];
      return `${list.filter(Boolean).length} of ${list.length} frames`;
    },
    async framesAgain() {
      const t = this.shown;
      try {
        await post(`/api/takes/${t.id}/frames`, { from: Number(this.framesFrom), to: Number(this.framesTo) });
        stores.v.say(`Frames of ${t.name} are made again.`);
      } catch (e) {
        stores.v.say(e.message, true);
      }
      await stores.v.reload();
    },
    noiseWords: (r) => (r.noise > 0 ? `, ${stores.v.number(100 * r.noise, 1)} % noise` : ""),
  };
}
