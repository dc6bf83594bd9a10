// How models come into the lens view: what is near and large first, one at a time, so that
// the hand never waits for many; and what they are drawn with where there is no graphics
// card.
import { DataTexture, DoubleSide, Group, Mesh, MeshLambertMaterial } from "three";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";
import { call, until } from "./ask.js";

const atOnce = 3; // that are fetched while one is read

// white stands for no picture: each way of drawing takes a tenth of a second before it is
// first used without a graphics card, so that fewer of them are better.
const white = new DataTexture(new Uint8Array([255, 255, 255, 255]), 1, 1);
white.name = "white";
white.needsUpdate = true;

export class Arrivals {
  constructor(plain, say) {
    this.plain = plain;
    this.say = say;
    this.loader = new GLTFLoader();
    this.models = new Map(); // url to promise of a group
    this.waiting = []; // { url, weight, go }
    this.fetching = 0;
    this.reading = Promise.resolve();
    this.plainer = new WeakMap();
  }
  // model is the model at a URL, for something that is so large in the picture; asked for
  // again it is the same.
  model(url, weight = 0) {
    if (!this.models.has(url)) {
      this.models.set(
        url,
        new Promise((go) => this.waiting.push({ url, weight, go }))
          .then(() => this.load(url))
          .catch((e) => {
            this.models.delete(url); // the next that needs it asks again
            this.say("A piece cannot be drawn in the lens view: " + e.message, true);
            return new Group();
          })
          .finally(() => {
            this.fetching--;
            this.next();
          }),
      );
      queueMicrotask(() => this.next()); // when all of a set are known
    } else {
      const w = this.waiting.find((x) => x.url === url);
      if (w) w.weight = Math.max(w.weight, weight);
    }
    return this.models.get(url);
  }
  next() {
    while (this.fetching < atOnce && this.waiting.length) {
      const i = this.waiting.reduce((best, w, k) => (w.weight > this.waiting[best].weight ? k : best), 0);
      this.fetching++;
      this.waiting.splice(i, 1)[0].go();
    }
  }
  // load reads a model, however long the server is away; null when it is not wanted
  // any more. One is read after the other.
  async load(url, wanted) {
    const raw = await until(() => call(url, { raw: true }), wanted);
    if (!raw) return null;
    const read = this.reading.then(() => this.loader.parseAsync(raw, ""));
    this.reading = read.catch(() => {}).then(() => new Promise((go) => setTimeout(go)));
    const { scene } = await read;
    if (this.plain)
      scene.traverse((o) => {
        if (o instanceof Mesh)
          o.material = Array.isArray(o.material) ? o.material.map((m) => this.simple(m)) : this.simple(o.material);
      });
    else scene.traverse((o) => o instanceof Mesh && [o.material].flat().forEach(seenThrough));
    return scene;
  }
  // simple is a matt material in place of a true one: metal and glass cost a processor ten
  // times as much.
  simple(m) {
    if (!m.isMeshStandardMaterial) return m;
    if (!this.plainer.has(m)) {
      const through = m.transmission || 0,
        clear = m.transparent || through > 0;
      const n = new MeshLambertMaterial({
        name: m.name,
        color: m.color,
        map: m.map || white,
        emissive: m.emissive,
        emissiveMap: m.emissiveMap,
        emissiveIntensity: m.emissiveIntensity,
        alphaTest: m.alphaTest,
        transparent: clear,
        opacity: m.opacity * (1 - 0.8 * through),
        side: clear ? DoubleSide : m.side,
        vertexColors: m.vertexColors,
        flatShading: m.flatShading,
        depthWrite: m.depthWrite && !(through > 0),
      });
      n.forceSinglePass = true;
      this.plainer.set(m, n);
    }
    return this.plainer.get(m);
  }
}

// seenThrough makes clear thin glass as clear as the renderer's (KHR_materials_transmission, smooth, without volume):
// three.js would dim and blur what lies behind it.
function seenThrough(m) {
  if (!(m.transmission > 0) || m.roughness >= 0.1 || m.thickness > 0) return;
  m.opacity *= 1 - 0.92 * m.transmission; // 4 % are mirrored by each of its faces
  m.transmission = 0;
  m.transparent = true;
  m.depthWrite = false;
}
