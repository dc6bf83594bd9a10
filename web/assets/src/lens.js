// The lens view: the set through the working camera, drawn by three.js from
// the proxies that the server made. It draws only when something changed.
import {
  AmbientLight,
  DirectionalLight,
  NeutralToneMapping,
  PerspectiveCamera,
  Scene,
  SRGBColorSpace,
  Vector3,
  WebGLRenderer,
} from "three";
import { ambientOf, ready } from "./ambient.js";
import { Blur } from "./blur.js";
import { Finisher } from "./chain.js";
import { known } from "./finishing.js";
import { Small } from "./offscreen.js";
import { Sky } from "./sky.js";
import { Grasp } from "./grasp.js";
import { Arrivals } from "./arrive.js";
import { filled } from "./contents.js";
import { pictured } from "./small.js";
import { marked } from "./marks.js";
import { walked } from "./walk.js";
import { aim } from "./focus.js";
import { dark, lampsOf } from "./glow.js";
import { drawn } from "./otherwise.js";
import { fully, shadowed } from "./shadows.js";
import { pull } from "./drag.js";
import { Herds } from "./herds.js";
import { stores } from "./stores.js";

// Without a graphics card a band takes a tenth of a second or two.
const bandPixels = 130000;
const margin = 18; // pixels of dimmed surround about the frame, at least

// View is a camera, and what draws by it.
class View {
  __v_skip = true; // the page's store must not wrap what three.js holds

  constructor(box, v) {
    this.box = box;
    this.v = v;
    this.canvas = box.querySelector("canvas");
    this.over = box.querySelector("[data-over]");
    this.plain = inSoftware();
    // Shadows and bounced light take a graphics card, or patience.
    this.full = fully(this.plain);
    if (this.full) ready();
    this.renderer = new WebGLRenderer({ canvas: this.canvas, antialias: !this.plain, alpha: true });
    this.renderer.debug.checkShaderErrors = false; // they are its own, and asking waits for each
    this.renderer.setClearColor(0x161616, 1);
    this.blur = new Blur(this.renderer, this.plain ? 0 : 4);
    this.finisher = /** @type {any} */ (null);
    this.smalls = new Small(this.renderer, this.plain ? 0 : 4);
    this.lit = new Sky(this.renderer, this.plain);
    this.cards = new Map(); // pictures that cards play, by their URL
    this.renderer.toneMapping = NeutralToneMapping;
    this.renderer.outputColorSpace = SRGBColorSpace;
    this.renderer.shadowMap.enabled = this.full;
    this.renderer.shadowMap.autoUpdate = false;
    this.scene = new Scene();
    this.camera = new PerspectiveCamera();
    this.camera.matrixAutoUpdate = false;
    this.sun = new DirectionalLight(0xffffff, 0);
    this.fill = new AmbientLight(0xffffff, 0);
    this.scene.add(this.sun, this.sun.target, this.fill);
    if (this.full) shadowed(this.sun, this.plain ? 2048 : 4096);
    if (this.lit.probe) this.scene.add(this.lit.probe); // at once: what is drawn is made ready for it
    this.arrivals = new Arrivals(this.plain, (...a) => v.say(...a));
    this.drawing = []; // what waits until all before it is drawn
    this.veiled = []; // what has come and is not shown yet
    this.placed = new Map(); // placement to { group, url }
    this.riding = []; // what a frame of a move has moved
    this.herds = new Herds(this.scene);
    this.scene.onBeforeRender = (_r, _s, camera) => this.herds.see(camera);
    this.drawn = 0;
    this.posed = false; // a frame of a move is shown, not the set's view
    this.firstView = "";
    this.sheet = null; // the picture over or under the view, and what the set says of it
    this.sheetState = null;
    this.whole = false; // all that is to be seen was in a picture; and in one of full size
    this.sharp = false;
    new ResizeObserver(() => this.invalidate()).observe(box);
    this.canvas.addEventListener("pointerdown", (e) => {
      if (stores.film.parting && this.parted(e)) return;
      if (stores.dress.turningSky && this.v.on("light")) return stores.dress.turnSky(this, e);
      if (stores.dress.inHand && this.hang(e)) return;
      if (stores.film.metering && v.on("light") && this.metered(e)) return;
      if (this.v.on("surface") && stores.surface.hit(this, e)) return;
      this.press(e);
    });
    this.over.addEventListener("pointerdown", (e) => {
      const mark = aim(e).closest("[data-snag]");
      const lamp = aim(e).closest("[data-lamp]");
      if (lamp) stores.dress.select(lamp.getAttribute("data-lamp"));
      else if (mark) stores.dress.showSnag(mark.getAttribute("data-snag"));
      else if (!this.grasp.press(e)) this.lift(e);
    });
    this.grasp = new Grasp(this);
    this.canvas.addEventListener("dragover", (e) => e.preventDefault());
    this.canvas.addEventListener("drop", (e) => {
      e.preventDefault();
      if (stores.dress.inHand) return this.hang(e);
      const piece = e.dataTransfer.getData("piece"),
        at = piece && this.grasp.first(e)?.at;
      if (at) stores.dress.place(piece, "", { x: at.x, y: at.y, z: at.z }, true, true);
    });
    this.canvas.addEventListener("wheel", (e) => this.dolly(e), { passive: false });
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
      edge = stores.film.moveNow && this.v.on("frame light") ? 34 : margin; // room for the time below
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
    this.whenDrawn(() => {
      this.asked = false;
      this.paint();
    });
  }
  // whenDrawn does something when all that was asked for is drawn, one after the other: whatever
  // asks the browser before that waits for it, and the hand too.
  whenDrawn(act) {
    const gl = /** @type {WebGL2RenderingContext} */ (this.renderer.getContext());
    this.drawing.push({ fence: gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0), act });
    gl.flush();
    if (this.drawing.length > 1) return;
    // What comes onto the canvas is read by the browser with its next picture of the page, and then
    // all that was asked for must be drawn: so nothing is asked for until that picture is made.
    const next = () => requestAnimationFrame(() => setTimeout(look));
    const look = () => {
      const { fence, act } = this.drawing[0];
      if (fence && gl.clientWaitSync(fence, 0, 0) === gl.TIMEOUT_EXPIRED) {
        setTimeout(look, 8);
        return;
      }
      gl.deleteSync(fence);
      try {
        act();
      } finally {
        this.drawing.shift();
        if (this.drawing.length) next();
      }
    };
    next();
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
    this.turn = null;
    if (stores.film.trueCovers) return this.remark(); // nobody sees it
    if (!band) {
      this.began = performance.now();
      const shown = this.unveil();
      this.herds.gather(this.placed, this.riding);
      if (this.full) ambientOf(this.scene, this.renderer, stores.film.lensWay !== "clay", this.sun);
      // Nothing is being drawn now: what asks the browser is asked here, and not between the
      // things that it draws, each of which it would wait for.
      for (const p of /** @type {any[]} */ (this.renderer.info.programs)) if (p.isReady()) p.getUniforms();
      if (this.waitsBehind()) {
        this.remark();
        if (this.plain) this.makeReady(shown);
        return;
      }
    }
    const f = this.project(),
      under = this.sheetState?.under,
      w = f.bw,
      h = f.bh;
    // The blur takes time: while the view moves it is left out, and without a
    // graphics card every second pixel too.
    // The first picture with all in it comes at once and coarse, and then as it is.
    const resting =
        performance.now() - (this.moved || 0) > 150 &&
        !stores.film.playing &&
        !this.v.coming &&
        (this.whole || !this.plain),
      blurred = stores.film.blur && this.v.on("frame"),
      through = this.finishing(f);
    // Without a graphics card all is drawn by this way, so that what is drawn with is made
    // ready once and not for each way; and it comes onto the canvas when it is drawn, since
    // the browser, and the hand, wait for a canvas that is still being drawn.
    if ((this.plain || through || (blurred && resting)) && !under) {
      const k = !this.plain || resting ? 1 : this.v.coming ? 0.25 : 0.5;
      const bands = this.plain && resting ? Math.ceil((w * h) / bandPixels) : 1,
        n = band < bands ? band : 0;
      this.blur.part(this.scene, this.camera, w * k, h * k, n, bands);
      const turn = (this.turn = {});
      const on = () => {
        if (this.turn !== turn) return; // another picture was begun between two bands
        if (n + 1 < bands) {
          this.paint(n + 1);
          return;
        }
        this.renderer.setSize(w, h, false);
        this.blur.finish(w * k, h * k, f.w * k, this.viewNow, this.wide(), blurred && resting, through?.(k));
        this.painted(f, resting, blurred);
      };
      if (this.plain) this.whenDrawn(on);
      else on();
      return;
    }
    this.renderer.setSize(w, h, false);
    const sky = this.scene.background;
    if (under) {
      this.scene.background = null;
      this.renderer.setClearAlpha(0);
    }
    drawn(this.renderer, this.scene, this.camera);
    if (under) {
      this.scene.background = sky;
      this.renderer.setClearAlpha(1);
    }
    this.painted(f, resting, blurred);
  }
  // finishing is what shows light with the finish of the set, for a frame in a picture of so many times its size; null
  // where nothing is to be done to it.
  finishing(f) {
    const { finish } = this.v.now.set;
    if (!Object.keys(finish || {}).length || stores.film.lensWay || !this.v.schema) return null;
    if (!this.renderer.extensions.has("EXT_color_buffer_float")) return null;
    this.finisher ||= new Finisher(this.renderer);
    const steps = stores.shoot.finishNow,
      table = known(steps.look.table),
      { left, right, top, bottom } = this.window;
    return (k) => (texture) =>
      this.finisher.draw(
        {
          name: "",
          texture,
          w: Math.floor(f.bw * k),
          h: Math.floor(f.bh * k),
          scale: this.renderer.toneMappingExposure,
          upward: true,
          frame: [f.x * k, f.y * k, f.w * k, f.h * k],
          window: [left, right, top, bottom],
          table,
        },
        steps,
      );
  }
  // whilePainted looks at the next picture while it is on the canvas: afterwards nobody can read it.
  whilePainted(look) {
    return new Promise((told) => {
      this.looked = () => told(look());
      this.invalidate();
    });
  }
  // painted: a picture came onto the canvas.
  painted(f, resting, blurred) {
    const began = this.began;
    this.looked?.();
    this.looked = null;
    this.turn = null;
    this.box.querySelector("[data-first]")?.remove();
    const all = !this.v.coming && this.placed.size > 0 && !this.whole;
    // What still comes draws again by itself; when all has come nothing is waited for.
    if (!resting && !stores.film.playing && !this.v.coming && (blurred || this.plain)) {
      clearTimeout(this.resting);
      this.resting = setTimeout(() => this.invalidate(), all ? 0 : 180);
    }
    this.drawn++;
    const reached = this.drawn === 1 ? ["picture"] : [];
    if (all) {
      this.whole = true;
      if (this.v.now.set.view.ev < dark) {
        lampsOf(this.scene, this.v.now); // now all that glows is there
        this.invalidate();
      }
      reached.push("whole");
    }
    if (resting && this.whole && !this.sharp) {
      this.sharp = true;
      reached.push("sharp");
    }
    this.whenDrawn(() => {
      this.cost = performance.now() - began;
      for (const what of reached) performance.mark("lens " + what);
    });
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
    return first.naturalWidth > 0 && c && c.come < c.of / 3 && view === this.firstView && !this.posed;
  }
  // makeReady has what is shown now, and nothing else, drawn where nobody sees it.
  makeReady(shown) {
    const rest = this.scene.children.filter((o) => o.visible && o.userData.id && !shown.has(o));
    for (const o of rest) o.visible = false;
    this.blur.ready(this.scene, this.camera);
    for (const o of rest) o.visible = true;
  }
  // metered points the meter to where the pointer is; false beside the picture.
  metered(e) {
    const f = this.frame(),
      box = this.canvas.getBoundingClientRect(),
      x = (e.clientX - box.left - f.x) / f.w,
      y = (e.clientY - box.top - f.y) / f.h;
    if (x < 0 || y < 0 || x > 1 || y > 1) return false;
    stores.film.meterTo({ x, y });
    return true;
  }
  // hang hangs the lamp that is in hand over where the pointer is; false where nothing is.
  hang(e) {
    const at = this.grasp.first(e)?.at;
    if (at) stores.dress.hangAt(at);
    return Boolean(at);
  }
  // parted draws a rectangle in the picture, to which the true view gives all its work.
  parted(e) {
    const f = this.frame(),
      box = this.canvas.getBoundingClientRect(),
      within = (x) => Math.min(Math.max(x, 0), 1),
      at = (m) => [within((m.clientX - box.left - f.x) / f.w), within((m.clientY - box.top - f.y) / f.h)],
      from = at(e),
      to = (m) => {
        const [x, y] = at(m);
        return [Math.min(x, from[0]), Math.min(y, from[1]), Math.max(x, from[0]), Math.max(y, from[1])];
      };
    const show = (part) => {
      stores.film.partDrawn = part;
      this.remark();
    };
    pull(
      this.canvas,
      e,
      (m) => show(to(m)),
      (moved, m) => {
        show(null);
        const part = to(m);
        if (moved && part[2] - part[0] > 0.02 && part[3] - part[1] > 0.02) stores.film.partTo(part);
      },
    );
    return true;
  }
  // remark draws again what lies over the picture, not the picture.
  remark() {
    if (this.viewNow && this.box.clientWidth > 40) this.marks(this.project());
  }
  // wide is how many mm of the sensor the picture's width is, squeezed.
  wide() {
    return (this.window.right - this.window.left) * this.viewNow.focal;
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
  // What the parts of the lens view do: the hand in walk.js, what lies over it in marks.js,
  // what stands in it in contents.js.
  press(/** @type {PointerEvent} */ _e) {}
  lift(/** @type {PointerEvent} */ _e) {}
  dolly(/** @type {WheelEvent} */ _e) {}
  marks(_frame) {}
  unveil() {
    return new Set();
  }
  // home brings a move back to its start before the view is changed by hand: the
  // shot's own view is the one that is changed.
  home() {
    if (!stores.film.moveNow || !this.posed || !(stores.film.time > 0)) return;
    stores.film.time = 0;
    stores.film.playing = false;
    stores.film.pose();
    this.v.say("the move is at its start again: the view is changed there");
    stores.film.lookSoon(300);
  }
}

// Lens is the view through the camera, in a box of the page and by its store, with what is seen
// in it and what the hand does there.
export const Lens = /** @type {any} */ (walked(marked(pictured(filled(View)))));

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
