// The lens view: the set through the working camera, drawn by three.js from
// the proxies that the server made. It draws only when something changed.
import {
  AmbientLight, BufferAttribute, BufferGeometry, ClampToEdgeWrapping, Color, DataTexture, DirectionalLight, EquirectangularReflectionMapping, FloatType, Group, InstancedMesh, MeshBasicMaterial,
  LinearFilter, LinearSRGBColorSpace, Matrix4, NeutralToneMapping, PerspectiveCamera, Points, PointsMaterial, Quaternion, RepeatWrapping, RGBAFormat, Raycaster, Scene, SRGBColorSpace, Vector2, Vector3, WebGLRenderer,
} from "three";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";

const margin = 18; // pixels of dimmed surround about the frame, at least

export class Lens {
  __v_skip = true; // the page's store must not wrap what three.js holds

  constructor(box, v) {
    this.box = box; this.v = v;
    this.canvas = box.querySelector("canvas");
    this.over = box.querySelector("[data-over]");
    this.renderer = new WebGLRenderer({ canvas: this.canvas, antialias: true });
    this.renderer.toneMapping = NeutralToneMapping;
    this.renderer.outputColorSpace = SRGBColorSpace;
    this.scene = new Scene();
    this.camera = new PerspectiveCamera();
    this.camera.matrixAutoUpdate = false;
    this.sun = new DirectionalLight(0xffffff, 0);
    this.fill = new AmbientLight(0xffffff, 0);
    this.scene.add(this.sun, this.sun.target, this.fill);
    this.loader = new GLTFLoader();
    this.models = new Map(); // url to promise of a group
    this.placed = new Map(); // placement to { group, url }
    this.drawn = 0;
    new ResizeObserver(() => this.invalidate()).observe(box);
    this.canvas.addEventListener("pointerdown", (e) => this.press(e));
    this.over.addEventListener("pointerdown", (e) => { const mark = e.target.closest("[data-snag]"); if (mark) v.showSnag(mark.dataset.snag); else this.lift(e); });
    this.canvas.addEventListener("dragover", (e) => e.preventDefault());
    this.canvas.addEventListener("drop", (e) => {
      e.preventDefault();
      const piece = e.dataTransfer.getData("piece"), at = piece && this.ground(e);
      if (at) v.place(piece, "", { x: at.x, y: at.y, z: at.z }, true);
    });
    this.canvas.addEventListener("wheel", (e) => this.dolly(e), { passive: false });
  }
  model(url) {
    if (!this.models.has(url)) {
      this.models.set(url, this.loader.loadAsync(url).then((g) => g.scene).catch((e) => {
        this.v.say("A piece cannot be drawn in the lens view: " + e.message, true);
        return new Group();
      }));
    }
    return this.models.get(url);
  }
  // sync brings the scene to the state: what is gone goes, what is new comes.
  sync(st) {
    const piece = new Map(st.pieces.map((p) => [p.id, p])), here = new Set();
    for (const p of st.placements) {
      const ghost = this.v.overlay && p.standIn && p.standIn !== "person"; // the blockout laid over
      if (!this.v.visible(p) && !ghost) continue;
      const of = piece.get(p.piece), level = of?.levels[of.level];
      const url = p.standIn ? `/api/standins/${p.standIn === "steps" ? `steps-${Math.min(Math.max(Math.round(p.size.y / 0.17), 1), 400)}` : p.standIn}` : level ? `/blobs/${level.blob}?as=glb` : "";
      if (!url) continue;
      here.add(p.id);
      let it = this.placed.get(p.id);
      const look = `${url} ${p.tint} ${ghost ? "lines" : ""}`;
      if (!it || it.look !== look) {
        const old = it;
        it = { look, group: new Group(), id: p.id };
        it.group.matrixAutoUpdate = false;
        it.group.userData.id = p.id;
        this.placed.set(p.id, it);
        this.model(url).then((m) => {
          if (old) this.scene.remove(old.group);
          if (this.placed.get(p.id) !== it) return;
          it.group.add(dressedUp(m.clone(), p.tint, ghost));
          this.scene.add(it.group);
          this.invalidate();
        });
      }
      it.inner = of ? new Matrix4().fromArray(of.world) : p.standIn !== "person" ? new Matrix4().makeScale(p.size.x, p.size.y, p.size.z) : new Matrix4().makeScale(p.size.y / 1.75, p.size.y / 1.75, p.size.y / 1.75);
      it.group.matrix.fromArray(p.world).multiply(it.inner);
      it.group.matrixWorldNeedsUpdate = true;
    }
    for (const e of st.elements) if (e.key && this.v.visible(e)) { here.add(e.id); this.element(e, piece); }
    for (const [id, it] of this.placed) if (!here.has(id)) { this.scene.remove(it.group); this.placed.delete(id); }
    const l = st.lightNow, peak = Math.max(l.sun.x, l.sun.y, l.sun.z, 1e-9);
    this.sun.color.setRGB(l.sun.x / peak, l.sun.y / peak, l.sun.z / peak, LinearSRGBColorSpace);
    this.sun.intensity = peak > 1e-6 ? peak : 0;
    this.sun.position.set(l.toSun.x, l.toSun.y, l.toSun.z);
    this.renderer.toneMappingExposure = st.lens.scale;
    this.sky(JSON.stringify(st.set.light));
    this.look(st.set.view, st.lens.world);
  }
  // element shows what an element is made of and what it lays: as copies of light
  // versions of its pieces while they keep to the budget, else as points.
  element(e, piece) {
    const budget = Math.max(this.v.now.production.budget * 0.4, 20000);
    const list = e.count ? this.v.laid.of(e, 200000) : null, look = `${e.key} ${Boolean(list)} ${budget}`;
    let it = this.placed.get(e.id);
    if (it?.look === look) return;
    const old = it;
    it = { look, group: new Group(), id: e.id };
    it.group.matrixAutoUpdate = false;
    it.group.userData.id = e.id;
    this.placed.set(e.id, it);
    const ready = [];
    if (e.model) ready.push(this.loader.loadAsync(`/api/sets/${document.documentElement.dataset.set}/elements/${e.id}/model?k=${e.key}`).then((g) => it.group.add(g.scene)).catch(() => {}));
    if (list) ready.push(this.copies(it.group, e, list, piece, budget));
    Promise.all(ready).then(() => {
      if (old) this.scene.remove(old.group);
      if (this.placed.get(e.id) !== it) return;
      this.scene.add(it.group);
      this.invalidate();
    });
  }
  async copies(group, e, list, piece, budget) {
    const by = e.pieces.map(() => []);
    for (let i = 0; i < list.count; i++) { const t = list.at(i); by[t.piece].push(t); }
    const light = e.pieces.map((id) => piece.get(id)?.levels.at(-1));
    const total = by.reduce((n, l, k) => n + l.length * (light[k]?.triangles || 0), 0);
    if (total > budget || list.count < e.count) return this.points(group, by, e.pieces.map((id) => piece.get(id)));
    for (let k = 0; k < by.length; k++) {
      const of = piece.get(e.pieces[k]);
      if (!light[k] || !by[k].length) continue;
      const m = await this.model(`/blobs/${light[k].blob}?as=glb`), inner = new Matrix4().fromArray(of.world);
      m.updateMatrixWorld(true);
      m.traverse((o) => {
        if (!o.isMesh) return;
        const copies = new InstancedMesh(o.geometry, o.material, by[k].length), at = new Matrix4(), own = inner.clone().multiply(o.matrixWorld);
        by[k].forEach((t, i) => copies.setMatrixAt(i, at.compose(new Vector3(t.x, t.y, t.z), new Quaternion(...t.q), new Vector3(t.scale, t.scale, t.scale)).multiply(own)));
        copies.frustumCulled = false;
        group.add(copies);
      });
    }
  }
  // points stand for what is too much to draw: as tall as the things are.
  points(group, by, pieces) {
    by.forEach((list, k) => {
      if (!list.length) return;
      const high = pieces[k]?.size.y || 1, at = new Float32Array(9 * list.length);
      list.forEach((t, i) => at.set([t.x, t.y, t.z, t.x, t.y + 0.5 * high * t.scale, t.z, t.x, t.y + high * t.scale, t.z], 9 * i));
      const g = new BufferGeometry();
      g.setAttribute("position", new BufferAttribute(at, 3));
      const dots = new Points(g, new PointsMaterial({ color: 0x3c3c3c, size: 2.2, sizeAttenuation: false, toneMapped: false }));
      dots.frustumCulled = false;
      group.add(dots);
    });
  }
  async sky(key) {
    if (this.skyKey === key) return;
    this.skyKey = key;
    const raw = await fetch(`/api/sets/${document.documentElement.dataset.set}/sky`).then((r) => (r.ok ? r.arrayBuffer() : null)).catch(() => null);
    if (!raw || this.skyKey !== key) return;
    const [w, h] = new Uint32Array(raw, 0, 2), rgb = new Float32Array(raw, 8), rgba = new Float32Array(w * h * 4);
    let peak = 1e-9;
    for (const x of rgb) peak = Math.max(peak, Math.min(x, 6e7));
    // Half floats end at 65504: the picture is scaled to 1000 and lit back up.
    const k = 1000 / peak;
    for (let y = 0; y < h; y++) for (let x = 0; x < w; x++) for (let c = 0; c < 4; c++) // rows from below
      rgba[((h - 1 - y) * w + x) * 4 + c] = c === 3 ? 1 : Math.min(rgb[(y * w + x) * 3 + c] * k, 1000);
    const t = new DataTexture(rgba, w, h, RGBAFormat, FloatType);
    t.mapping = EquirectangularReflectionMapping; t.minFilter = t.magFilter = LinearFilter; t.wrapS = RepeatWrapping; t.wrapT = ClampToEdgeWrapping; t.needsUpdate = true;
    this.scene.background?.dispose?.();
    this.scene.background = this.scene.environment = t;
    // three.js puts u = 0.5 at +X; here it is at -Z.
    this.scene.backgroundRotation.y = this.scene.environmentRotation.y = Math.PI / 2;
    this.scene.backgroundIntensity = this.scene.environmentIntensity = 1 / k;
    this.invalidate();
  }
  // look sets the camera: view as the server keeps it, world its transform.
  look(view, world) {
    this.viewNow = view;
    this.camera.matrix.fromArray(world);
    this.camera.matrixWorld.copy(this.camera.matrix);
    this.camera.matrixWorldInverse.copy(this.camera.matrix).invert();
    this.invalidate();
  }
  // frame is the picture within the box, in CSS pixels.
  frame() {
    const w = this.box.clientWidth, h = this.box.clientHeight, a = this.viewNow?.aspect || 1.5;
    let fw = w - 2 * margin, fh = fw / a;
    if (fh > h - 2 * margin) { fh = h - 2 * margin; fw = fh * a; }
    return { x: (w - fw) / 2, y: (h - fh) / 2, w: fw, h: fh, bw: w, bh: h };
  }
  gate() {
    const v = this.viewNow;
    return v.aspect > v.sensorW / v.sensorH ? v.sensorW / v.aspect : v.sensorH;
  }
  invalidate() {
    if (this.asked) return;
    this.asked = true;
    requestAnimationFrame(() => { this.asked = false; this.paint(); });
  }
  project() {
    const f = this.frame(), v = this.viewNow, c = this.camera;
    const tan = (this.gate() / (2 * v.focal)) * (f.bh / f.h); // the box shows more than the frame
    c.fov = (2 * Math.atan(tan) * 180) / Math.PI; c.aspect = f.bw / f.bh; c.near = v.near; c.far = v.far;
    c.updateProjectionMatrix();
    return f;
  }
  paint() {
    if (!this.viewNow || this.box.clientWidth < 40 || this.box.clientHeight < 40) return;
    const f = this.project();
    this.renderer.setPixelRatio(1);
    this.renderer.setSize(f.bw, f.bh, false);
    this.renderer.render(this.scene, this.camera);
    this.drawn++;
    this.box.dataset.drawn = this.drawn;
    this.marks(f);
  }
  // marks dims what is outside of the frame and draws brackets with dimensions.
  marks(f) {
    const line = "stroke='#ffffff' stroke-opacity='.35'";
    let s = `<path fill-rule='evenodd' fill='#161616' fill-opacity='.62' d='M0 0H${f.bw}V${f.bh}H0ZM${f.x} ${f.y}v${f.h}h${f.w}v${-f.h}Z'/>`;
    s += `<rect x='${f.x}' y='${f.y}' width='${f.w}' height='${f.h}' fill='none' stroke='#fff'/>`;
    for (const k of [1 / 3, 2 / 3]) s += `<path fill='none' ${line} d='M${f.x + f.w * k} ${f.y}v${f.h}M${f.x} ${f.y + f.h * k}h${f.w}'/>`;
    for (const id of this.v.sel) {
      const p = this.v.placement(id), it = this.placed.get(id);
      if (!p || !it || !this.v.visible(p)) continue;
      const world = new Matrix4().fromArray(p.world), q = new Vector3(), box = [1e9, 1e9, -1e9, -1e9];
      let behind = false;
      for (let i = 0; i < 8; i++) {
        q.set(p.box[i & 1 ? "max" : "min"].x, p.box[i & 2 ? "max" : "min"].y, p.box[i & 4 ? "max" : "min"].z).applyMatrix4(world).applyMatrix4(this.camera.matrixWorldInverse);
        if (q.z > -1e-3) behind = true;
        q.applyMatrix4(this.camera.projectionMatrix);
        const x = (q.x / 2 + 0.5) * f.bw, y = (0.5 - q.y / 2) * f.bh;
        box[0] = Math.min(box[0], x); box[1] = Math.min(box[1], y); box[2] = Math.max(box[2], x); box[3] = Math.max(box[3], y);
      }
      if (behind || box[2] < 0 || box[3] < 0 || box[0] > f.bw || box[1] > f.bh) continue;
      const [a, b, c, d] = box, k = Math.min(12, (c - a) / 3, (d - b) / 3);
      s += `<path fill='none' stroke='#d6e935' stroke-width='2' d='M${a} ${b + k}V${b}h${k}M${c - k} ${b}H${c}v${k}M${c} ${d - k}V${d}h${-k}M${a + k} ${d}H${a}v${-k}'/>`;
      if (!this.v.locked(p) && id === this.v.sel[0] && b > 30) // the stalk lifts
        s += `<g data-stalk='${escape(id)}' style='pointer-events:auto;cursor:ns-resize'><path fill='none' stroke='#d6e935' stroke-width='2' d='M${(a + c) / 2} ${b}V${b - 22}'/><circle cx='${(a + c) / 2}' cy='${b - 22}' r='5' fill='#d6e935'/><circle cx='${(a + c) / 2}' cy='${b - 22}' r='13' fill='transparent'/><title>drag to lift</title></g>`;
      if (id !== this.v.sel[0]) continue; // of many the first is told
      const label = this.lifting ? `base at ${this.v.length(p.at.y)}` : this.v.size(p.dims), tw = Math.max(label.length * 7.3, p.name.length * 7) + 14, tx = c + 8 + tw < f.bw - 4 || a < tw + 12 ? Math.min(c + 8, f.bw - tw - 4) : a - 8 - tw, ty = Math.min(Math.max(b, 4), f.bh - 40);
      s += `<rect x='${tx}' y='${ty}' width='${tw}' height='36' fill='#161616' fill-opacity='.85'/><text x='${tx + 6}' y='${ty + 15}' fill='#f0f0f0' font-size='12'>${escape(p.name)}</text><text class='n' x='${tx + 6}' y='${ty + 30}' fill='#d6e935' font-size='12'>${escape(label)}</text>`;
    }
    for (const n of this.v.on("dress") ? this.v.now.snags : []) {
      if (!n.at || !n.key) continue;
      const q = new Vector3(n.at.x, n.at.y, n.at.z).applyMatrix4(this.camera.matrixWorldInverse), on = this.v.snag === n.key;
      if (q.z > -1e-3) continue;
      q.applyMatrix4(this.camera.projectionMatrix);
      const x = (q.x / 2 + 0.5) * f.bw, y = (0.5 - q.y / 2) * f.bh;
      if (x < 0 || y < 0 || x > f.bw || y > f.bh) continue;
      s += `<path data-snag='${escape(n.key)}' d='M${x} ${y - 8}l7 12h-14Z' fill='${on ? "#ff7459" : "#161616"}' fill-opacity='${on ? 1 : 0.6}' stroke='#ff7459' stroke-width='1.6' style='pointer-events:auto;cursor:pointer'><title>${escape(n.what)}</title></path>`;
      if (on) s += `<text class='n' x='${x}' y='${y + 20}' text-anchor='middle' font-size='12' fill='#ff7459'>${escape(this.v.snagNumber(n))}</text>`;
    }
    this.over.setAttribute("viewBox", `0 0 ${f.bw} ${f.bh}`);
    this.over.innerHTML = s;
  }
  // carry moves a placement while it is dragged, before it is kept.
  carry(p) {
    const it = this.placed.get(p.id);
    if (!it) return;
    const s = p.scale;
    const turn = new Matrix4().makeRotationY(p.yaw).multiply(new Matrix4().makeRotationX(p.pitch)).multiply(new Matrix4().makeRotationZ(p.roll));
    const world = turn.scale(new Vector3(s.x, s.y, s.z)).setPosition(p.at.x, p.at.y, p.at.z);
    p.world = [...world.elements]; // the brackets go along
    it.group.matrix.copy(world).multiply(it.inner);
    it.group.matrixWorldNeedsUpdate = true;
    this.invalidate();
  }
  // screen is where a point of the set falls in the frame, 0..1 from its left
  // and top: the same as in the rendered picture.
  screen(x, y, z) {
    const f = this.project(), q = new Vector3(x, y, z).applyMatrix4(this.camera.matrixWorldInverse).applyMatrix4(this.camera.projectionMatrix);
    return [((q.x / 2 + 0.5) * f.bw - f.x) / f.w, ((0.5 - q.y / 2) * f.bh - f.y) / f.h, f.w, f.h];
  }
  // hits are the things under the pointer, the nearest first.
  hits(e) {
    const list = [];
    const r = this.canvas.getBoundingClientRect(), ray = new Raycaster();
    this.project();
    ray.setFromCamera(new Vector2(((e.clientX - r.left) / r.width) * 2 - 1, 1 - ((e.clientY - r.top) / r.height) * 2), this.camera);
    // A ray that starts at the near plane meets what is drawn and nothing else.
    ray.near = this.viewNow.near; ray.far = this.viewNow.far;
    this.scene.updateMatrixWorld(); // what came since the last picture is there too
    for (const h of ray.intersectObjects([...this.placed.values()].map((p) => p.group), true)) {
      let o = h.object;
      while (o && !o.userData.id) o = o.parent;
      const p = o && this.v.placement(o.userData.id);
      if (p && !this.v.locked(p) && Math.max(p.dims.x, p.dims.z) < 30) list.push(p.id);
    }
    return [...new Set(list)];
  }
  // ground is the place that the pointer is over: what is drawn there, or the plane
  // at height 0.
  ground(e) {
    const r = this.canvas.getBoundingClientRect(), ray = new Raycaster();
    this.project();
    ray.setFromCamera(new Vector2(((e.clientX - r.left) / r.width) * 2 - 1, 1 - ((e.clientY - r.top) / r.height) * 2), this.camera);
    ray.near = this.viewNow.near; ray.far = this.viewNow.far;
    this.scene.updateMatrixWorld(); // what came since the last picture is there too
    const h = ray.intersectObjects([...this.placed.values()].map((p) => p.group), true)[0];
    if (h) return h.point;
    const { origin: o, direction: d } = ray.ray, t = -o.y / d.y;
    return t > 0 && t < 1000 ? { x: o.x + d.x * t, y: 0, z: o.z + d.z * t } : null;
  }
  press(e) {
    const view = this.v.st.set.view, f = this.frame(), start = { yaw: view.yaw, pitch: view.pitch };
    this.canvas.setPointerCapture(e.pointerId);
    let moved = false, now = start;
    const move = (m) => {
      if (!moved && Math.hypot(m.clientX - e.clientX, m.clientY - e.clientY) < 4) return;
      moved = true;
      // The picture follows the hand: a frame's width is the angle of view.
      const k = this.gate() / view.focal / f.h;
      now = { yaw: start.yaw + (m.clientX - e.clientX) * k, pitch: Math.min(Math.max(start.pitch + (m.clientY - e.clientY) * k, -1.57), 1.57) };
      const w = new Matrix4().makeRotationY(now.yaw).multiply(new Matrix4().makeRotationX(now.pitch)).multiply(new Matrix4().makeRotationZ(view.roll)).setPosition(view.eye.x, view.eye.y, view.eye.z);
      this.look(view, w.elements);
    };
    const up = (u) => {
      this.canvas.removeEventListener("pointermove", move); this.canvas.removeEventListener("pointerup", up);
      if (moved) return this.v.view(now);
      // A click on what is selected goes on to what lies behind.
      const under = this.hits(u), i = this.v.sel.length ? under.indexOf(this.v.sel[0]) : -1;
      return this.v.select(under[(i + 1) % (under.length || 1)] || "", u.shiftKey);
    };
    this.canvas.addEventListener("pointermove", move); this.canvas.addEventListener("pointerup", up);
  }
  // lift moves the selected thing up and down by its stalk.
  lift(e) {
    const id = e.target.closest("[data-stalk]")?.dataset.stalk, p = id && this.v.placement(id);
    if (!p) return;
    e.stopPropagation();
    this.over.setPointerCapture(e.pointerId);
    const q = new Vector3(p.at.x, p.at.y, p.at.z).applyMatrix4(this.camera.matrixWorldInverse), kept = p.at.y;
    const metres = (-q.z * this.gate()) / this.viewNow.focal / this.frame().h; // that a pixel is at its distance
    const move = (m) => {
      const up = kept + (e.clientY - m.clientY) * metres;
      p.at.y = this.v.snapOn && !m.altKey ? Math.round(up * 20) / 20 : up; // steps of 5 cm
      this.lifting = true;
      this.carry(p);
    };
    const drop = () => {
      this.over.removeEventListener("pointermove", move); this.over.removeEventListener("pointerup", drop); this.over.removeEventListener("pointercancel", drop);
      const y = p.at.y, moved = this.lifting;
      this.lifting = false; p.at.y = kept;
      if (moved) this.v.change(p.id, { at: { y } });
    };
    this.over.addEventListener("pointermove", move); this.over.addEventListener("pointerup", drop); this.over.addEventListener("pointercancel", drop);
  }
  dolly(e) {
    e.preventDefault();
    const view = this.v.st.set.view, f = this.v.st.lens.forward;
    this.run = (this.run || 0) - e.deltaY * 0.002 * Math.max(0.5, Math.min(view.focus, 20)) * 0.25;
    const eye = { x: view.eye.x + f.x * this.run, y: view.eye.y + f.y * this.run, z: view.eye.z + f.z * this.run };
    this.look(view, new Matrix4().fromArray(this.v.st.lens.world).setPosition(eye.x, eye.y, eye.z).elements);
    clearTimeout(this.rest);
    this.rest = setTimeout(() => { this.run = 0; this.v.view({ eye }); }, 250);
  }
}

// dressedUp gives a copy of a model the tint of its placement; as a ghost it is
// drawn in lines.
function dressedUp(m, tint, ghost) {
  if (!tint && !ghost) return m;
  m.traverse((o) => {
    if (!o.isMesh) return;
    if (ghost) { o.material = new MeshBasicMaterial({ color: 0xf0f0f0, wireframe: true, transparent: true, opacity: 0.55, toneMapped: false }); return; }
    o.material = o.material.clone();
    o.material.color.multiply(new Color(tint));
  });
  return m;
}

const escape = (s) => s.replace(/[&<>'"]/g, (c) => `&#${c.charCodeAt(0)};`);
