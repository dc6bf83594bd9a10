// The lens view: the set through the working camera, drawn by three.js from
// the proxies that the server made. It draws only when something changed.
import {
  AmbientLight,
  BufferAttribute,
  BufferGeometry,
  Color,
  DirectionalLight,
  Group,
  InstancedMesh,
  MeshBasicMaterial,
  LinearSRGBColorSpace,
  Matrix4,
  NeutralToneMapping,
  PerspectiveCamera,
  Points,
  PointsMaterial,
  Quaternion,
  Raycaster,
  Scene,
  SRGBColorSpace,
  Vector3,
  WebGLRenderer,
} from "three";
import { TextureLoader } from "three";
import { guides, letterbox } from "./guides.js";
import { Blur } from "./blur.js";
import { Small } from "./offscreen.js";
import { Sky } from "./sky.js";
import { drawMatch, pressMatch } from "./match.js";
import { pull } from "./drag.js";
import { Grasp } from "./grasp.js";
import { Arrivals } from "./arrive.js";
import { call, until } from "./ask.js";

// Without a graphics card a band takes a tenth of a second or two; of the first pictures, for
// which everything is made ready, a quarter of the pixels does.
const bandPixels = 130000,
  early = 4;
const margin = 18; // pixels of dimmed surround about the frame, at least

export class Lens {
  __v_skip = true; // the page's store must not wrap what three.js holds

  constructor(box, v) {
    this.box = box;
    this.v = v;
    this.canvas = box.querySelector("canvas");
    this.over = box.querySelector("[data-over]");
    this.plain = inSoftware();
    this.renderer = new WebGLRenderer({ canvas: this.canvas, antialias: !this.plain, alpha: true });
    this.renderer.debug.checkShaderErrors = false; // they are its own, and asking waits for each
    this.renderer.setClearColor(0x161616, 1);
    this.blur = new Blur(this.renderer, this.plain ? 0 : 4);
    this.smalls = new Small(this.renderer, this.plain ? 0 : 4);
    this.lit = new Sky(this.renderer, this.plain);
    this.cards = new Map(); // pictures that cards play, by their URL
    this.renderer.toneMapping = NeutralToneMapping;
    this.renderer.outputColorSpace = SRGBColorSpace;
    this.scene = new Scene();
    this.camera = new PerspectiveCamera();
    this.camera.matrixAutoUpdate = false;
    this.sun = new DirectionalLight(0xffffff, 0);
    this.fill = new AmbientLight(0xffffff, 0);
    this.scene.add(this.sun, this.sun.target, this.fill);
    this.arrivals = new Arrivals(this.plain, (...a) => v.say(...a));
    this.veiled = []; // what has come and is not shown yet
    this.known = new Set(); // ways of drawing that were used before
    this.placed = new Map(); // placement to { group, url }
    this.drawn = 0;
    new ResizeObserver(() => this.invalidate()).observe(box);
    this.canvas.addEventListener("pointerdown", (e) => this.press(e));
    this.over.addEventListener("pointerdown", (e) => {
      const mark = e.target.closest("[data-snag]");
      if (mark) v.showSnag(mark.dataset.snag);
      else if (!this.grasp.press(e)) this.lift(e);
    });
    this.grasp = new Grasp(this);
    this.canvas.addEventListener("dragover", (e) => e.preventDefault());
    this.canvas.addEventListener("drop", (e) => {
      e.preventDefault();
      const piece = e.dataTransfer.getData("piece"),
        at = piece && this.grasp.first(e)?.at;
      if (at) v.place(piece, "", { x: at.x, y: at.y, z: at.z }, true, true);
    });
    this.canvas.addEventListener("wheel", (e) => this.dolly(e), { passive: false });
  }
  // weight is how large a thing is in the picture, about.
  weight(p, st) {
    const e = st.set.view.eye,
      w = p.world,
      f = st.lens.forward,
      x = (w ? w[12] : e.x) - e.x,
      y = (w ? w[13] : e.y) - e.y,
      z = (w ? w[14] : e.z) - e.z,
      far = Math.hypot(x, y, z),
      size = Math.max(p.dims.x, p.dims.y, p.dims.z);
    // What lies behind the camera comes last.
    const seen = far < size || (x * f.x + y * f.y + z * f.z) / far > 0.3 ? 1 : 0.1;
    return (seen * size) / Math.max(far - size / 2, 0.5);
  }
  // show brings what has come into the picture, in place of what was there.
  // A graphics card makes ready beside the page what it is drawn with.
  async show(it, old) {
    if (!this.plain) await this.renderer.compileAsync(it.group, this.camera, this.scene).catch(() => {});
    this.veiled.push({ it, old });
    this.arrived();
  }
  // unveil shows what has come. Without a graphics card each new way of drawing takes a
  // tenth of a second before it is first used: two or so for each picture then, so that the hand
  // never waits for all of them.
  unveil() {
    for (let fresh = 0; this.veiled.length; this.veiled.shift()) {
      const { it, old } = this.veiled[0],
        kinds = [];
      if (this.plain)
        it.group.traverse((o) => {
          const m = o.material,
            k =
              m &&
              [
                o.isInstancedMesh,
                o.isPoints,
                Boolean(m.map),
                m.alphaTest > 0,
                m.transparent,
                m.side,
                m.vertexColors,
                Boolean(o.geometry.attributes.uv),
              ].join();
          if (k && !this.known.has(k)) {
            this.known.add(k);
            kinds.push(k);
          }
        });
      if (fresh > 1 && (kinds.length > 0 || fresh > 4)) {
        for (const k of kinds) this.known.delete(k);
        setTimeout(() => this.invalidate(), 20);
        return;
      }
      fresh += kinds.length + (this.plain ? 0.3 : 0); // and its pictures and triangles go to where they are drawn
      if (old) this.scene.remove(old.group);
      if (this.placed.get(it.id) !== it) continue;
      it.ready = !it.partly; // the rest comes when it is laid out
      this.scene.add(it.group);
      this.tell();
    }
  }
  // tell says how much of what is to be seen is there, and what comes next.
  tell() {
    const all = [...this.placed.values()],
      left = all.filter((it) => !it.ready);
    if (this.v.coming && !left.length) {
      this.rowSoon(300);
      this.shotPictures(600);
    }
    this.v.coming = left.length
      ? {
          come: all.length - left.length,
          of: all.length,
          names: left
            .slice(0, 3)
            .map((it) => it.name)
            .join(", "),
        }
      : null;
    this.box.dataset.loading = left.length;
  }
  // sync brings the scene to the state: what is gone goes, what is new comes. Where nothing
  // of that is another than it was, the picture stays and only what lies over it is drawn.
  sync(st) {
    const piece = new Map(st.pieces.map((p) => [p.id, p])),
      here = new Set();
    let other = false;
    for (const p of st.placements) {
      const ghost = this.v.overlay && p.standIn && p.standIn !== "person"; // the blockout laid over
      if (!this.v.visible(p) && !ghost) continue;
      const of = piece.get(p.piece),
        level = of?.levels[of.level];
      const steps = Math.min(Math.max(Math.round(p.size.y / 0.17), 1), 400);
      const url = p.standIn
        ? `/api/standins/${p.standIn === "steps" ? `steps-${steps}` : p.standIn}`
        : level
          ? `/blobs/${level.blob}?as=glb`
          : "";
      if (!url) continue;
      here.add(p.id);
      let it = this.placed.get(p.id);
      const look = `${url} ${p.tint} ${ghost ? "lines" : ""}`;
      if (!it || it.look !== look) {
        const old = it;
        it = { look, group: new Group(), id: p.id, name: p.name, ready: Boolean(old?.ready) };
        it.group.matrixAutoUpdate = false;
        it.group.userData.id = p.id;
        this.placed.set(p.id, it);
        this.arrivals.model(url, this.weight(p, st)).then((m) => {
          if (this.placed.get(p.id) === it) it.group.add(dressedUp(m.clone(), p.tint, ghost));
          this.show(it, old);
        });
      }
      it.inner = of
        ? new Matrix4().fromArray(of.world)
        : p.standIn !== "person"
          ? new Matrix4().makeScale(p.size.x, p.size.y, p.size.z)
          : new Matrix4().makeScale(p.size.y / 1.75, p.size.y / 1.75, p.size.y / 1.75);
      const stands = new Matrix4().fromArray(p.world).multiply(it.inner);
      if (!it.carried && !this.posed && it.stands?.equals(stands)) continue;
      other = true;
      it.carried = null;
      it.stands = stands;
      it.group.matrix.copy(stands);
      it.group.matrixWorldNeedsUpdate = true;
    }
    for (const e of st.elements)
      if (e.key && this.v.visible(e)) {
        here.add(e.id);
        this.element(e, piece);
      }
    this.tell();
    for (const [id, it] of this.placed)
      if (!here.has(id)) {
        this.scene.remove(it.group);
        this.placed.delete(id);
        other = true;
      }
    const frame = this.v.on("frame"),
      moves = Boolean(this.v.moveNow && this.v.time > 0);
    const shown = JSON.stringify([
      st.lightNow,
      st.lens.scale,
      st.set.light,
      st.set.view,
      st.lens.world,
      st.lens.window,
      frame && st.set.match,
      frame && this.v.blur,
      this.box.clientWidth,
      this.box.clientHeight,
    ]);
    if (!other && !moves && !this.posed && shown === this.shown) {
      this.remark();
      this.shotPictures();
      return;
    }
    const l = st.lightNow,
      peak = Math.max(l.sun.x, l.sun.y, l.sun.z, 1e-9);
    this.sun.color.setRGB(l.sun.x / peak, l.sun.y / peak, l.sun.z / peak, LinearSRGBColorSpace);
    this.sun.intensity = this.sunFull = peak > 1e-6 ? peak : 0;
    this.sun.position.set(l.toSun.x, l.toSun.y, l.toSun.z);
    this.renderer.toneMappingExposure = st.lens.scale;
    this.sky(JSON.stringify(st.set.light));
    this.look(st.set.view, st.lens.world, st.lens.window);
    this.overlay();
    if (moves) this.v.pose();
    else this.posed = false;
    this.shown = shown;
    this.shotPictures();
  }
  // pose shows a frame of the move: the camera, what rides, what cards play.
  pose(p) {
    for (const id of this.riding || []) {
      const it = this.placed.get(id);
      if (it?.stands && !p.moved?.[id]) {
        it.group.matrix.copy(it.stands);
        it.group.matrixWorldNeedsUpdate = true;
      }
    }
    this.riding = Object.keys(p.moved || {});
    for (const id of this.riding) {
      const it = this.placed.get(id);
      if (!it?.stands) continue;
      it.group.matrix.fromArray(p.moved[id]).multiply(it.stands);
      it.group.matrixWorldNeedsUpdate = true;
    }
    for (const id in p.cards || {}) this.play(this.placed.get(id), `/blobs/${p.cards[id]}?as=png`);
    for (const id in p.lights || {}) {
      if (!id) {
        this.sun.intensity = (this.sunFull ?? this.sun.intensity) * p.lights[id];
        continue;
      }
      this.placed.get(id)?.group.traverse((o) => {
        if (o.isMesh && o.material.emissiveIntensity != null) {
          if (!o.userData.own) {
            o.material = o.material.clone();
            o.userData.own = o.material.emissiveIntensity;
          }
          o.material.emissiveIntensity = o.userData.own * p.lights[id];
        }
      });
    }
    this.posed = true;
    this.renderer.toneMappingExposure = p.scale;
    this.look(p.view, p.world, p.window);
  }
  play(it, url) {
    if (!it || it.shows === url) return;
    it.shows = url;
    if (!this.cards.has(url))
      this.cards.set(
        url,
        new TextureLoader()
          .loadAsync(url)
          .then((t) => {
            t.colorSpace = SRGBColorSpace;
            t.flipY = false;
            return t;
          })
          .catch(() => null),
      );
    this.cards.get(url).then((t) => {
      if (t && it.shows === url) {
        it.group.traverse((o) => {
          if (o.isMesh && o.material.map && o.material.map.name !== "white") {
            o.material.map = t;
            o.material.needsUpdate = true;
          }
        });
        this.invalidate();
      }
    });
  }
  // overlay lays the picture to be matched over the frame, or under the set.
  overlay(patch) {
    this.shown = "";
    const m = { ...(this.v.now.set.match || {}), ...patch };
    if (!this.sheet) {
      this.sheet = new Image();
      this.sheet.alt = "";
      this.sheet.onerror = () =>
        this.v.say("The picture over the view is missing: lay it over the view again.", true);
      this.sheet.style.cssText = "position:absolute;pointer-events:none;object-fit:fill";
      this.box.insertBefore(this.sheet, this.canvas);
      this.canvas.style.position = "relative";
    }
    const url = m.picture && this.v.on("frame") ? `/blobs/${m.picture}?as=png` : "";
    this.sheet.style.display = url ? "" : "none";
    if (url && this.sheet.getAttribute("src") !== url) this.sheet.src = url;
    this.sheetState = url ? m : null;
    this.sheet.style.zIndex = m.under ? 0 : 1;
    this.canvas.style.zIndex = 0;
    this.over.style.zIndex = 2;
    this.sheet.style.opacity = m.opacity ?? 1;
    this.sheet.style.clipPath = `inset(0 ${100 * (1 - (m.wipe ?? 1))}% 0 0)`;
    this.invalidate();
  }
  // arrived: something came that is drawn; small pictures are made again.
  // Things come in crowds: the view is drawn when some have come, not for each.
  arrived() {
    this.came = (this.came || 0) + 1;
    this.tell();
    // With no graphics card drawing keeps what comes waiting: it takes a third of the time.
    this.coming ||= setTimeout(
      () => {
        this.coming = 0;
        this.invalidate();
      },
      Math.max(150, 2 * (this.cost || 0)),
    );
    this.rowSoon(1500);
    this.shotPictures(2000);
  }
  // element shows what an element is made of and what it lays: as copies of light
  // versions of its pieces while they keep to the budget, else as points.
  element(e, piece) {
    const budget = Math.max(this.v.now.production.budget * 0.4, 20000);
    const list = e.count ? this.v.laid.of(e, 200000) : null,
      look = `${e.key} ${Boolean(list)} ${budget}`;
    let it = this.placed.get(e.id);
    if (it?.look === look || (it?.ready && e.count && !list)) return; // until it is laid out anew the older is drawn
    const old = it;
    it = { look, group: new Group(), id: e.id, name: e.name, ready: Boolean(old?.ready) };
    it.group.matrixAutoUpdate = false;
    it.group.userData.id = e.id;
    this.placed.set(e.id, it);
    const ready = [];
    if (e.model)
      ready.push(
        this.arrivals
          .load(
            `/api/sets/${document.documentElement.dataset.set}/elements/${e.id}/model?k=${e.key}`,
            () => this.placed.get(e.id) === it,
          )
          .then((m) => {
            if (m) it.group.add(m);
          })
          .catch(() => {}),
      );
    if (list) ready.push(this.copies(it.group, e, list, piece, budget));
    Promise.all(ready).then(() => {
      it.partly = !list && e.count > 0;
      this.show(it, old);
    });
  }
  async copies(group, e, list, piece, budget) {
    const by = e.pieces.map(() => []);
    for (let i = 0; i < list.count; i++) {
      const t = list.at(i);
      by[t.piece].push(t);
    }
    const light = e.pieces.map((id) => piece.get(id)?.levels.at(-1));
    const total = by.reduce((n, l, k) => n + l.length * (light[k]?.triangles || 0), 0);
    if (total > budget || list.count < e.count)
      return this.points(
        group,
        by,
        e.pieces.map((id) => piece.get(id)),
      );
    for (let k = 0; k < by.length; k++) {
      const of = piece.get(e.pieces[k]);
      if (!light[k] || !by[k].length) continue;
      const m = await this.arrivals.model(`/blobs/${light[k].blob}?as=glb`, 0.2),
        inner = new Matrix4().fromArray(of.world);
      m.updateMatrixWorld(true);
      m.traverse((o) => {
        if (!o.isMesh) return;
        const copies = new InstancedMesh(o.geometry, o.material, by[k].length),
          at = new Matrix4(),
          own = inner.clone().multiply(o.matrixWorld);
        by[k].forEach((t, i) =>
          copies.setMatrixAt(
            i,
            at
              .compose(new Vector3(t.x, t.y, t.z), new Quaternion(...t.q), new Vector3(t.scale, t.scale, t.scale))
              .multiply(own),
          ),
        );
        copies.frustumCulled = false;
        group.add(copies);
      });
    }
  }
  // points stand for what is too much to draw: as tall as the things are.
  points(group, by, pieces) {
    by.forEach((list, k) => {
      if (!list.length) return;
      const high = pieces[k]?.size.y || 1,
        at = new Float32Array(9 * list.length);
      list.forEach((t, i) =>
        at.set([t.x, t.y, t.z, t.x, t.y + 0.5 * high * t.scale, t.z, t.x, t.y + high * t.scale, t.z], 9 * i),
      );
      const g = new BufferGeometry();
      g.setAttribute("position", new BufferAttribute(at, 3));
      const dots = new Points(
        g,
        new PointsMaterial({ color: 0x3c3c3c, size: 2.2, sizeAttenuation: false, toneMapped: false }),
      );
      dots.frustumCulled = false;
      group.add(dots);
    });
  }
  async sky(key) {
    if (this.skyKey === key) return;
    this.skyKey = key;
    // Its light takes half a second then: of a sun that is being pulled, the last.
    if (this.plain) await new Promise((done) => setTimeout(done, 150));
    if (this.skyKey !== key) return;
    const raw = await until(
      () => call(`/api/sets/${document.documentElement.dataset.set}/sky`, { raw: true }),
      () => this.skyKey === key,
    ).catch((e) => this.v.say(e.message, true));
    if (!raw || this.skyKey !== key) return;
    this.lit.take(raw);
    this.scene.background = this.lit.picture;
    this.scene.environment = this.lit.light?.texture || null;
    if (this.lit.probe) this.scene.add(this.lit.probe);
    // three.js puts u = 0.5 at +X; here it is at -Z.
    this.scene.backgroundRotation.y = this.scene.environmentRotation.y = Math.PI / 2;
    this.scene.backgroundIntensity = this.scene.environmentIntensity = this.lit.scale;
    this.invalidate();
  }
  // look sets the camera: view as the server keeps it, world its transform, window
  // what its picture shows at a metre. Who only moves it keeps the window.
  look(view, world, window) {
    this.shown = "";
    this.viewNow = view;
    if (window) this.window = window;
    this.camera.matrix.fromArray(world);
    this.camera.matrixWorld.copy(this.camera.matrix);
    this.camera.matrixWorldInverse.copy(this.camera.matrix).invert();
    this.moved = performance.now();
    this.invalidate();
  }
  // zoomed shows the picture as with so many times the focal length.
  zoomed(k) {
    this.zoom = k;
    this.moved = performance.now();
    this.invalidate();
  }
  // frame is the picture within the box, in CSS pixels.
  frame() {
    const w = this.box.clientWidth,
      h = this.box.clientHeight,
      a = this.viewNow?.aspect || 1.5,
      edge = this.v.moveNow && this.v.on("frame light") ? 34 : margin; // room for the time below
    let fw = w - 2 * margin,
      fh = fw / a;
    if (fh > h - 2 * edge) {
      fh = h - 2 * edge;
      fw = fh * a;
    }
    return { x: (w - fw) / 2, y: (h - fh) / 2, w: fw, h: fh, bw: w, bh: h };
  }
  // tall is the height of the picture at a metre.
  get tall() {
    return this.window.top - this.window.bottom;
  }
  invalidate() {
    if (this.asked) return;
    if (this.turn && this.drawn < early) {
      this.more = true;
      return;
    } // it is finished first: else nothing were seen while things come
    this.asked = true;
    // First the frame, the horizon and where things will be: that needs no picture.
    if (!this.sketched && this.viewNow) {
      this.sketched = true;
      this.remark();
      performance.mark("lens first");
      requestAnimationFrame(() =>
        setTimeout(() => {
          this.asked = false;
          this.invalidate();
        }),
      );
      return;
    }
    requestAnimationFrame(() => {
      this.asked = false;
      this.paint();
    });
  }
  project() {
    const f = this.frame();
    this.through(this.window, this.viewNow, f.bw / f.w, f.bh / f.h, this.zoom || 1);
    return f;
  }
  // through gives the camera a window, wider and taller by so much about its
  // middle: the box shows more than the frame.
  through(win, v, wide = 1, tall = 1, zoom = 1) {
    const mx = (win.left + win.right) / 2,
      my = (win.top + win.bottom) / 2,
      hx = ((win.right - win.left) / 2) * wide,
      hy = ((win.top - win.bottom) / 2) * tall,
      n = v.near / zoom,
      c = this.camera;
    c.near = v.near;
    c.far = v.far;
    c.projectionMatrix.makePerspective((mx - hx) * n, (mx + hx) * n, (my + hy) * n, (my - hy) * n, v.near, v.far);
    c.projectionMatrixInverse.copy(c.projectionMatrix).invert();
  }
  // paint draws the picture; without a graphics card one that is large and at rest is drawn
  // in bands, one after the other, so that the hand never waits for all of it.
  paint(band = 0) {
    if (!this.viewNow || this.box.clientWidth < 40 || this.box.clientHeight < 40) return;
    const began = performance.now();
    this.turn = null;
    if (!band) this.unveil();
    if (!band && this.waitsBehind()) {
      this.remark();
      if (this.plain) this.blur.ready(this.scene, this.camera);
      return;
    }
    const f = this.project(),
      under = this.sheetState?.under,
      w = f.bw,
      h = f.bh;
    // The blur takes time: while the view moves it is left out, and without a
    // graphics card every second pixel too.
    const resting = performance.now() - (this.moved || 0) > 150 && !this.v.playing && !this.v.coming,
      blurred = this.v.blur && this.v.on("frame");
    this.renderer.setSize(w, h, false);
    const sky = this.scene.background;
    if (under) {
      this.scene.background = null;
      this.renderer.setClearAlpha(0);
    }
    // Without a graphics card all is drawn by this way, so that what is drawn with is made
    // ready once and not for each way.
    if ((this.plain || (blurred && resting)) && !under) {
      // The canvas stays as large: making it anew waits for all that is being drawn.
      const k = this.plain && !resting ? 0.5 : 1;
      const fresh = this.drawn < early,
        bands =
          this.plain && (resting || fresh) ? Math.ceil((w * h * k * k) / (fresh ? bandPixels / 4 : bandPixels)) : 1,
        n = band < bands ? band : 0;
      this.blur.part(this.scene, this.camera, w * k, h * k, n, bands);
      if (n + 1 < bands) {
        const turn = (this.turn = {});
        requestAnimationFrame(() => setTimeout(() => this.turn === turn && this.paint(n + 1)));
        return;
      }
      this.blur.finish(w * k, h * k, f.w * k, this.viewNow, this.wide(), blurred && resting);
    } else this.renderer.render(this.scene, this.camera);
    if (!resting && !this.v.playing && (blurred || this.plain)) {
      clearTimeout(this.resting);
      this.resting = setTimeout(() => this.invalidate(), 180);
    }
    if (under) {
      this.scene.background = sky;
      this.renderer.setClearAlpha(1);
    }
    this.drawn++;
    if (this.more) {
      this.more = false;
      this.invalidate();
    }
    requestAnimationFrame(() => {
      this.cost = performance.now() - began;
    });
    if (this.drawn === 1) performance.mark("lens picture");
    if (!this.v.coming && this.placed.size && !this.whole) {
      this.whole = true;
      performance.mark("lens whole");
    }
    this.box.dataset.drawn = this.drawn;
    if (this.sheet)
      Object.assign(this.sheet.style, { left: f.x + "px", top: f.y + "px", width: f.w + "px", height: f.h + "px" });
    this.marks(f);
  }
  // waitsBehind says whether what was drawn before the scripts came still shows more than
  // the lens view could: until a third is there, and as long as the camera stands.
  waitsBehind() {
    const first = this.box.querySelector("[data-first]");
    if (!first) return false;
    const view = JSON.stringify(this.viewNow),
      c = this.v.coming;
    this.firstView ||= view;
    if (first.naturalWidth > 0 && c && c.come < c.of / 3 && view === this.firstView && !this.posed) return true;
    first.remove();
    return false;
  }
  // remark draws again what lies over the picture, not the picture.
  remark() {
    if (this.viewNow && this.box.clientWidth > 40) this.marks(this.project());
  }
  // wide is how many mm of the sensor the picture's width is, squeezed.
  wide() {
    return (this.window.right - this.window.left) * this.viewNow.focal;
  }
  // small draws a view into a canvas.
  async small(canvas, win, view, world, exposure = this.renderer.toneMappingExposure) {
    const c = this.camera,
      kept = c.matrix.clone(),
      w = canvas.width,
      h = canvas.height;
    c.matrix.fromArray(world);
    c.matrixWorld.copy(c.matrix);
    c.matrixWorldInverse.copy(c.matrix).invert();
    const a = view.aspect,
      wide = Math.max(1, w / h / a),
      tall = Math.max(1, (h / w) * a);
    this.through(win, view, wide, tall);
    const drawn = this.smalls.draw(this.scene, c, w, h, exposure);
    c.matrix.copy(kept);
    c.matrixWorld.copy(kept);
    c.matrixWorldInverse.copy(kept).invert();
    const ctx = canvas.getContext("2d");
    ctx.putImageData(await drawn, 0, 0);
    if (wide > 1.001 || tall > 1.001) {
      ctx.fillStyle = "#161616";
      const iw = w / wide,
        ih = h / tall;
      ctx.fillRect(0, 0, (w - iw) / 2, h);
      ctx.fillRect((w + iw) / 2, 0, w, h);
      ctx.fillRect(0, 0, w, (h - ih) / 2);
      ctx.fillRect(0, (h + ih) / 2, w, h);
    }
  }
  // rowSoon draws the row of lenses when the hand rests: this place through each
  // of them, or what is in focus at the same size.
  rowSoon(wait = 500) {
    clearTimeout(this.rowLater);
    this.rowLater = setTimeout(() => this.row(), wait);
  }
  async row() {
    const here = () => this.v.on("frame") && this.v.tab === "lens" && !this.v.playing;
    if (!this.viewNow || !here() || this.canvas.width < 100) return;
    if (this.v.coming) return; // it is drawn when all is there
    const st = this.v.now,
      v = st.set.view,
      win = st.lens.window,
      world = st.lens.world,
      f = st.lens.forward;
    const key = JSON.stringify([
      v.eye,
      v.yaw,
      v.pitch,
      v.roll,
      v.focal,
      v.aspect,
      v.near,
      v.far,
      v.ev,
      win,
      this.v.keepSize,
      this.v.keepSize && v.focus,
      st.revision,
      this.came,
    ]);
    if (key === this.rowKey) return; // it is drawn, or being drawn
    const away = (canvas) => Math.abs(Math.log(canvas.dataset.lensPicture / v.focal));
    const all = [...document.querySelectorAll("[data-lens-picture]")].sort((a, b) => away(a) - away(b));
    if (!all.length) return;
    this.rowKey = key;
    for (const c of all) if (c.dataset.drawn) c.dataset.drawn = "old";
    // One after the other, so that the hand never waits for all of them; what is
    // changed meanwhile begins anew.
    try {
      for (const canvas of all) {
        if (this.rowKey !== key) return;
        if (!here()) break;
        const focal = Number(canvas.dataset.lensPicture),
          k = v.focal / focal,
          m = world.slice();
        if (this.v.keepSize) {
          const d = v.focus * (1 - focal / v.focal);
          m[12] += f.x * d;
          m[13] += f.y * d;
          m[14] += f.z * d;
        }
        await this.small(
          canvas,
          { left: win.left * k, right: win.right * k, top: win.top * k, bottom: win.bottom * k },
          v,
          m,
        );
        if (this.rowKey !== key) return; // what is drawn now is of another row
        canvas.dataset.drawn = "yes";
        await new Promise((go) => setTimeout(go, 30));
      }
      if (all.some((c) => c.dataset.drawn !== "yes")) this.rowKey = "";
    } catch (e) {
      this.rowKey = "";
      this.v.say("The row of lenses cannot be drawn: " + e.message, true);
    }
  }
  // shotPictures draws kept shots that have no take yet.
  shotPictures(wait = 900) {
    clearTimeout(this.shotsLater);
    this.shotsLater = setTimeout(async () => {
      if (!this.v.on("frame") || this.v.playing || this.canvas.width < 200) return;
      const s = this.v.now.shots.find(
        (s) =>
          !this.v.now.takes.some((t) => t.shot === s.id && this.v.picture(t)) &&
          this.v.stills[s.id]?.key !== `${JSON.stringify(s.view)} ${this.came}`,
      );
      if (!s) return;
      const canvas = Object.assign(document.createElement("canvas"), {
        width: 176,
        height: Math.round(176 / s.view.aspect) || 99,
      });
      const key = `${JSON.stringify(s.view)} ${this.came}`;
      await this.small(canvas, s.window, s.view, s.world, s.scale);
      this.v.stills = { ...this.v.stills, [s.id]: { key, url: canvas.toDataURL("image/jpeg", 0.85) } };
      this.shotPictures(); // the next one
    }, wait);
  }
  // marks dims what is outside of the frame and draws brackets with dimensions.
  marks(f) {
    let s =
      `<path fill-rule='evenodd' fill='#161616' fill-opacity='.62' d='M0 0H${f.bw}V${f.bh}H0ZM${f.x} ` +
      `${f.y}v${f.h}h${f.w}v${-f.h}Z'/>`;
    s += `<rect x='${f.x}' y='${f.y}' width='${f.w}' height='${f.h}' fill='none' stroke='#fff'/>`;
    const view = this.v.now.set.view,
      fr = this.v.raw;
    s +=
      letterbox(view.mask, f) +
      guides(
        (view.guides || "thirds").split(","),
        f,
        (this.posed ? fr.lens.horizon : this.v.now.lens.horizon) || fr.figures.horizon,
      );
    s += this.noted(f, fr) + drawMatch(this, f);
    // What has not come yet is shown by where it will be.
    let few = 60;
    for (const it of this.placed.values()) {
      const p = !it.ready && few-- > 0 && this.v.placement(it.id),
        box = p && p.dims.x < 60 && this.bounds(p, f);
      if (box)
        s +=
          `<rect x='${box[0]}' y='${box[1]}' width='${box[2] - box[0]}' height='${box[3] - box[1]}' ` +
          `fill='#3c3c3c' fill-opacity='.35' stroke='#a0a0a0' stroke-dasharray='2 3' data-coming='${escape(p.id)}'/>`;
    }
    for (const id of this.v.sel) {
      const p = this.v.placement(id),
        it = this.placed.get(id);
      if (!p || !it || !this.v.visible(p)) continue;
      const box = this.bounds(p, f);
      if (!box) continue;
      const [a, b, c, d] = box,
        k = Math.min(12, (c - a) / 3, (d - b) / 3);
      s +=
        `<path fill='none' stroke='#d6e935' stroke-width='2' d='M${a} ${b + k}V${b}h${k}M${c - k} ` +
        `${b}H${c}v${k}M${c} ${d - k}V${d}h${-k}M${a + k} ${d}H${a}v${-k}'/>`;
      if (!this.v.locked(p) && id === this.v.sel[0] && b > 30)
        // the stalk lifts
        s +=
          `<g data-stalk='${escape(id)}' class='pointer-events-auto cursor-ns-resize'>` +
          `<path fill='none' stroke='#d6e935' stroke-width='2' d='M${(a + c) / 2} ${b}V${b - 22}'/>` +
          `<circle cx='${(a + c) / 2}' cy='${b - 22}' r='5' fill='#d6e935'/>` +
          `<circle cx='${(a + c) / 2}' cy='${b - 22}' r='13' fill='transparent'/><title>drag to lift</title></g>`;
      if (id !== this.v.sel[0]) continue; // of many the first is told
      if (!this.v.locked(p) && this.v.sel.length === 1) s += this.grasp.rings(p, box, f);
      const label = this.lifting ? `base at ${this.v.length(p.at.y)}` : this.v.size(p.dims),
        tw = Math.max(label.length * 7.3, p.name.length * 7) + 14,
        tx = c + 8 + tw < f.bw - 4 || a < tw + 12 ? Math.min(c + 8, f.bw - tw - 4) : a - 8 - tw,
        ty = Math.min(Math.max(b, 4), f.bh - 40);
      s +=
        `<rect x='${tx}' y='${ty}' width='${tw}' height='36' fill='#161616' fill-opacity='.85'/>` +
        `<text x='${tx + 6}' y='${ty + 15}' fill='#f0f0f0' font-size='12'>${escape(p.name)}</text>` +
        `<text class='n' x='${tx + 6}' y='${ty + 30}' fill='#d6e935' font-size='12'>${escape(label)}</text>`;
    }
    for (const n of this.v.on("dress") ? this.v.now.snags : []) {
      if (!n.at || !n.key) continue;
      const q = new Vector3(n.at.x, n.at.y, n.at.z).applyMatrix4(this.camera.matrixWorldInverse),
        on = this.v.snag === n.key;
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
          `fill='#ff7459'>${escape(this.v.snagNumber(n))}</text>`;
    }
    this.over.setAttribute("viewBox", `0 0 ${f.bw} ${f.bh}`);
    this.over.innerHTML = s;
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
    if (this.v.on("frame") && this.v.tab === "compose")
      for (const n of fr.figures.notes || [])
        s +=
          `<circle cx='${f.x + n.at[0] * f.w}' cy='${f.y + n.at[1] * f.h}' r='9' fill='none' ` +
          `stroke='#ff7459' stroke-width='1.8' data-note='${n.kind}'><title>${escape(n.what)}</title></circle>`;
    const b = this.v.hover && this.v.on("frame light") && fr.bars.find((q) => q.id === this.v.hover),
      p = !b && this.v.hover && this.v.placement(this.v.hover);
    if (p && this.v.visible(p)) {
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
  // carry moves a placement while it is dragged, before it is kept.
  carry(p) {
    const it = this.placed.get(p.id);
    if (!it) return;
    const s = p.scale;
    const turn = new Matrix4()
      .makeRotationY(p.yaw)
      .multiply(new Matrix4().makeRotationX(p.pitch))
      .multiply(new Matrix4().makeRotationZ(p.roll));
    const world = turn.scale(new Vector3(s.x, s.y, s.z)).setPosition(p.at.x, p.at.y, p.at.z);
    it.carried = world; // the brackets go along
    this.moved = performance.now();
    it.group.matrix.copy(world).multiply(it.inner);
    it.group.matrixWorldNeedsUpdate = true;
    this.invalidate();
  }
  // screen is where a point of the set falls in the frame, 0..1 from its left
  // and top: the same as in the rendered picture.
  screen(x, y, z) {
    const f = this.project(),
      q = new Vector3(x, y, z)
        .applyMatrix4(this.camera.matrixWorldInverse)
        .applyMatrix4(this.camera.projectionMatrix);
    return [((q.x / 2 + 0.5) * f.bw - f.x) / f.w, ((0.5 - q.y / 2) * f.bh - f.y) / f.h, f.w, f.h];
  }
  // reference is where a point falls by three.js's own camera: a larger picture
  // even about the axis, of which the frame is a part. Half and middle are those of
  // the window at a metre.
  reference(hx, hy, mx, my, p) {
    const wide = hx + Math.abs(mx),
      tall = hy + Math.abs(my),
      c = new PerspectiveCamera((2 * Math.atan(tall) * 180) / Math.PI, wide / tall, 0.1, 1e5),
      k = 1000;
    c.setViewOffset(wide * 2 * k, tall * 2 * k, (mx - hx + wide) * k, (tall - my - hy) * k, 2 * hx * k, 2 * hy * k);
    c.updateProjectionMatrix();
    const q = new Vector3(...p).applyMatrix4(this.camera.matrixWorldInverse).applyMatrix4(c.projectionMatrix);
    return [q.x / 2 + 0.5, 0.5 - q.y / 2];
  }
  // home brings a move back to its start before the view is changed by hand: the
  // shot's own view is the one that is changed.
  home() {
    if (!this.v.moveNow || !this.posed || !(this.v.time > 0)) return;
    this.v.time = 0;
    this.v.playing = false;
    this.v.pose();
    this.v.say("the move is at its start again: the view is changed there");
    this.v.lookSoon(300);
  }
  press(e) {
    if (pressMatch(this, e)) return;
    if (e.shiftKey && this.v.on("frame dress light")) return this.orbit(e);
    if (!this.v.picking && this.grasp.take(e, (u) => this.click(u))) return;
    const view = this.v.st.set.view,
      f = this.frame(),
      start = { yaw: view.yaw, pitch: view.pitch };
    let now = null;
    pull(
      this.canvas,
      e,
      (m) => {
        if (!now) this.home();
        // The picture follows the hand: a frame's width is the angle of view.
        const k = this.tall / f.h;
        now = {
          yaw: start.yaw + (m.clientX - e.clientX) * k,
          pitch: Math.min(Math.max(start.pitch + (m.clientY - e.clientY) * k, -1.57), 1.57),
        };
        this.look(view, this.aimed(view.eye, now.yaw, now.pitch, view.roll));
      },
      (moved, u) => {
        if (moved === null) return this.v.draw();
        if (!moved) return this.click(u);
        const turn = (Math.hypot(now.yaw - start.yaw, now.pitch - start.pitch) * 180) / Math.PI;
        return this.v
          .view(now)
          .then(() =>
            this.v.say(`The camera was turned by ${this.v.number(turn, 1)}°; the comma key takes it back.`),
          );
      },
      4,
    );
  }
  // click selects what is under the pointer: what is seen there; a click on what is
  // selected goes on to what lies behind.
  click(u) {
    if (this.v.picking === "focus") {
      const on = this.grasp.first(u),
        at = on?.at;
      this.v.picking = "";
      return this.v.placement(on?.id)
        ? this.v.does("focus", { id: on.id })
        : at
          ? this.v.does("focus", { at: { x: at.x, y: at.y, z: at.z } })
          : this.v.say("There is nothing to focus on.", true);
    }
    const under = this.grasp.hits(u),
      i = this.v.sel.length ? under.indexOf(this.v.sel[0]) : -1;
    return this.v.select(under[(i + 1) % (under.length || 1)] || "", u.shiftKey);
  }
  // lift moves the selected thing up and down by its stalk.
  lift(e) {
    const id = e.target.closest("[data-stalk]")?.dataset.stalk,
      p = id && this.v.placement(id);
    if (!p) return;
    e.stopPropagation();
    const q = new Vector3(p.at.x, p.at.y, p.at.z).applyMatrix4(this.camera.matrixWorldInverse),
      kept = p.at.y;
    const metres = (-q.z * this.tall) / this.frame().h; // that a pixel is at its distance
    pull(
      this.over,
      e,
      (m) => {
        const up = kept + (e.clientY - m.clientY) * metres;
        p.at.y = this.v.snapOn && !m.altKey ? Math.round(up * 20) / 20 : up; // steps of 5 cm
        this.lifting = true;
        this.carry(p);
      },
      (moved) => {
        const y = p.at.y;
        this.lifting = false;
        p.at.y = kept;
        if (moved) this.v.change(p.id, { at: { y } });
        else this.v.draw();
      },
      0,
    );
  }
  // aimed is the transform of a view that looks from eye with yaw, pitch and roll.
  aimed(eye, yaw, pitch, roll) {
    return new Matrix4()
      .makeRotationY(yaw)
      .multiply(new Matrix4().makeRotationX(pitch))
      .multiply(new Matrix4().makeRotationZ(roll))
      .setPosition(eye.x, eye.y, eye.z).elements;
  }
  // orbit goes around what is selected, or around what is in focus.
  orbit(e) {
    const view = this.v.st.set.view,
      p = this.v.one,
      fw = this.v.st.lens.forward,
      f = this.frame();
    const c = p
      ? { x: p.at.x, y: p.at.y + p.dims.y / 2, z: p.at.z }
      : { x: view.eye.x + fw.x * view.focus, y: view.eye.y + fw.y * view.focus, z: view.eye.z + fw.z * view.focus };
    const d = new Vector3(view.eye.x - c.x, view.eye.y - c.y, view.eye.z - c.z),
      r = d.length(),
      a0 = Math.atan2(d.x, d.z),
      e0 = Math.asin(d.y / r),
      yaw0 = view.yaw - a0;
    let to = null;
    pull(
      this.canvas,
      e,
      (m) => {
        if (!to) this.home();
        const a = a0 - ((m.clientX - e.clientX) / f.w) * 3,
          up = Math.min(Math.max(e0 + ((m.clientY - e.clientY) / f.h) * 2, -1.5), 1.5);
        const eye = {
          x: c.x + r * Math.cos(up) * Math.sin(a),
          y: c.y + r * Math.sin(up),
          z: c.z + r * Math.cos(up) * Math.cos(a),
        };
        to = { eye, yaw: yaw0 + a, pitch: Math.min(Math.max(view.pitch - (up - e0), -1.57), 1.57) };
        this.look(view, this.aimed(eye, to.yaw, to.pitch, view.roll));
      },
      (moved) => {
        if (moved) return this.v.view(to);
        return moved === null ? this.v.draw() : this.v.select(this.grasp.hits(e)[0] || "", true);
      },
    );
  }
  // step walks: arrows go and turn at eye height over what is underfoot, walls
  // stop; Page Up and Page Down fly. Only keys of walking are taken.
  step(e) {
    const go = {
      ArrowUp: [1, 0, 0],
      ArrowDown: [-1, 0, 0],
      ArrowLeft: [0, 1, 0],
      ArrowRight: [0, -1, 0],
      PageUp: [0, 0, 1],
      PageDown: [0, 0, -1],
    }[e.key];
    if (!go) return false;
    this.home();
    const v = this.v.st.set.view,
      at = (this.walked ||= { eye: { ...v.eye }, yaw: v.yaw, pitch: v.pitch, high: this.v.raw.height ?? 1.6 });
    const k = (e.shiftKey ? 4 : 1) * (e.altKey ? 0.2 : 1),
      far = 0.25 * k;
    at.yaw += go[1] * 0.05 * k;
    if (go[2]) {
      at.eye.y += go[2] * far;
      at.high += go[2] * far;
    }
    if (go[0]) {
      const dir = new Vector3(-Math.sin(at.yaw) * go[0], 0, -Math.cos(at.yaw) * go[0]),
        groups = [...this.placed.values()].map((p) => p.group);
      this.scene.updateMatrixWorld();
      const knee = new Vector3(at.eye.x, at.eye.y - at.high + 0.6, at.eye.z),
        meets = (o, d, l) => new Raycaster(o, d, 0, l).intersectObjects(groups, true)[0];
      if (
        !e.ctrlKey &&
        at.high < 5 &&
        (meets(knee, dir, far + 0.3) || meets(new Vector3(at.eye.x, at.eye.y, at.eye.z), dir, far + 0.3))
      )
        this.v.say("something is in the way");
      else {
        at.eye.x += dir.x * far;
        at.eye.z += dir.z * far;
      }
      // What is underfoot, up to half a metre above where the feet are.
      const down = meets(new Vector3(at.eye.x, at.eye.y - at.high + 0.5, at.eye.z), new Vector3(0, -1, 0), 20);
      if (down) at.eye.y += down.point.y + at.high - at.eye.y;
    }
    this.look(v, this.aimed(at.eye, at.yaw, at.pitch, v.roll));
    clearTimeout(this.rest);
    this.rest = setTimeout(() => {
      const w = this.walked;
      this.walked = null;
      this.v.view({ eye: w.eye, yaw: w.yaw });
    }, 350);
    return true;
  }
  dolly(e) {
    e.preventDefault();
    this.home();
    const view = this.v.st.set.view,
      f = this.v.st.lens.forward;
    this.run = (this.run || 0) - e.deltaY * 0.002 * Math.max(0.5, Math.min(view.focus, 20)) * 0.25;
    const eye = { x: view.eye.x + f.x * this.run, y: view.eye.y + f.y * this.run, z: view.eye.z + f.z * this.run };
    this.look(view, new Matrix4().fromArray(this.v.st.lens.world).setPosition(eye.x, eye.y, eye.z).elements);
    clearTimeout(this.rest);
    this.rest = setTimeout(() => {
      this.run = 0;
      this.v.view({ eye });
    }, 250);
  }
}

// inSoftware says whether there is no graphics card: then edges are not smoothed, so
// that the hand does not wait.
function inSoftware() {
  const agent = navigator.userAgent,
    known = sessionStorage.software?.split("|"); // asking takes a tenth of a second
  if (known?.[1] === agent) return known[0] === "yes";
  const gl = document.createElement("canvas").getContext("webgl2"),
    info = gl?.getExtension("WEBGL_debug_renderer_info");
  const name = info ? gl.getParameter(info.UNMASKED_RENDERER_WEBGL) : "";
  gl?.getExtension("WEBGL_lose_context")?.loseContext();
  const software = /swiftshader|llvmpipe|software/i.test(name);
  sessionStorage.software = `${software ? "yes" : "no"}|${agent}`;
  return software;
}

// dressedUp gives a copy of a model the tint of its placement; as a ghost it is
// drawn in lines.
function dressedUp(m, tint, ghost) {
  if (!tint && !ghost) return m;
  m.traverse((o) => {
    if (!o.isMesh) return;
    if (ghost) {
      o.material = new MeshBasicMaterial({
        color: 0xf0f0f0,
        wireframe: true,
        transparent: true,
        opacity: 0.55,
        toneMapped: false,
      });
      return;
    }
    o.material = o.material.clone();
    o.material.color.multiply(new Color(tint));
  });
  return m;
}

const escape = (s) => s.replace(/[&<>'"]/g, (c) => `&#${c.charCodeAt(0)};`);
