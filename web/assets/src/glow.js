// What shines in the lens view: the strongest lamps, and things that glow, where the picture is, without shadows.
import {
  Color,
  LinearSRGBColorSpace,
  Matrix4,
  Mesh,
  MeshBasicMaterial,
  PointLight,
  SphereGeometry,
  SpotLight,
  Vector3,
} from "three";
import { fills } from "./ambient.js";
import { shadowed } from "./shadows.js";
import { stores } from "./stores.js";

const kept = { ball: [], cone: [] };

export const dark = 7; // EV below which what glows is seen to light something
const most = 8, // each is worked out for every pixel
  mostFull = 24, // where a graphics card does
  small = 1.5; // metres corner to corner (core/render.SmallGlow): what is larger is in the light that fills the set

// surfaces are how large the surface of a geometry is, and where its middle lies.
const surfaces = new WeakMap();
function surfaceOf(g) {
  let s = surfaces.get(g);
  if (s) return s;
  const p = g.attributes.position,
    index = g.index,
    n = index ? index.count : p.count,
    [a, b, c, mid] = [new Vector3(), new Vector3(), new Vector3(), new Vector3()];
  let area = 0;
  for (let i = 0; i + 2 < n; i += 3) {
    for (const [k, v] of [a, b, c].entries()) v.fromBufferAttribute(p, index ? index.getX(i + k) : i + k);
    const one = b.clone().sub(a).cross(c.clone().sub(a)).length() / 2;
    mid.addScaledVector(a.clone().add(b).add(c), one / 3);
    area += one;
  }
  if (!g.boundingBox) g.computeBoundingBox();
  const wide = g.boundingBox.getSize(a).length();
  surfaces.set(g, (s = { area, wide, mid: area ? mid.divideScalar(area) : mid }));
  return s;
}

const mostTriangles = 20000; // of a surface that is measured: what glows is small

// glowing are the things of a scene that glow, as lamps: a body that is round throws a quarter of its surface each way.
export function glowing(scene, alone = Infinity) {
  const list = [],
    m = new Matrix4();
  scene.traverseVisible((o) => {
    const e = o.isMesh && o.material?.emissive,
      k = e ? (o.material.emissiveIntensity ?? 1) : 0;
    if (!e || !(Math.max(e.r, e.g, e.b) * k > 0)) return;
    const p = o.geometry?.attributes.position;
    if (!p || (o.geometry.index || p).count > 3 * mostTriangles) return;
    const s = surfaceOf(o.geometry);
    for (let i = 0; i < Math.min(o.isInstancedMesh ? o.count : 1, 64); i++) {
      m.copy(o.matrixWorld);
      if (o.isInstancedMesh) m.multiply(instanceOf(o, i));
      if (s.wide * Math.cbrt(Math.abs(m.determinant())) > alone) continue;
      const by = (Math.cbrt(Math.abs(m.determinant())) ** 2 * s.area * k) / 4,
        at = s.mid.clone().applyMatrix4(m);
      list.push({ at, cd: { x: e.r * by, y: e.g * by, z: e.b * by }, spread: Math.PI, soft: 0 });
    }
  });
  return list;
}

const one = new Matrix4();
function instanceOf(o, i) {
  o.getMatrixAt(i, one);
  return one;
}

// strongest are the lamps of a set, and of others that are given, that give most to where the camera looks.
export function strongest(st, others = [], many = most) {
  const v = st.set.view,
    ahead = st.lens.forward,
    far = Math.min(Math.max(v.focus, 2), 30),
    at = ["x", "y", "z"].map((k) => v.eye[k] + ahead[k] * far);
  const lux = (l) =>
    (l.cd.x + l.cd.y + l.cd.z) /
    Math.max((l.at.x - at[0]) ** 2 + (l.at.y - at[1]) ** 2 + (l.at.z - at[2]) ** 2, 0.25);
  const all = (st.elements || []).flatMap((e) => (e.hidden ? [] : e.lit || []));
  return [...all, ...others]
    .map((l) => [lux(l), l])
    .sort((a, b) => b[0] - a[0])
    .slice(0, many)
    .map((x) => x[1]);
}

const throwing = 2; // of each kind throw shadows

// lampsOf hangs them into a scene; full says whether the first throw shadows.
export function lampsOf(scene, st, full = Boolean(stores.v.lens?.full)) {
  const used = { ball: 0, cone: 0 },
    thrown = { ball: 0, cone: 0 };
  // By day what glows is lost in the light of the sky; what is large is in the light that fills the set.
  const glows = st.set.view.ev < dark ? glowing(scene, fills() ? small : Infinity) : [];
  for (const l of stores.film.lensWay === "lamps" ? [] : strongest(st, glows, full ? mostFull : most)) {
    const kind = l.spread < Math.PI / 2 + 1e-3 ? "cone" : "ball",
      lights = kept[kind],
      light = (lights[used[kind]] ||= kind === "cone" ? new SpotLight() : new PointLight());
    // What is within a lantern throws the shadows of its own bars, which a coarse map makes a lid.
    if (full && l.free && thrown[kind] < throwing) {
      thrown[kind]++;
      if (!light.castShadow) shadowed(light, 1024);
    } else light.castShadow = false;
    used[kind]++;
    const peak = Math.max(l.cd.x, l.cd.y, l.cd.z);
    light.color.copy(new Color().setRGB(l.cd.x / peak, l.cd.y / peak, l.cd.z / peak, LinearSRGBColorSpace));
    light.intensity = peak;
    light.decay = 2;
    light.position.set(l.at.x, l.at.y, l.at.z);
    if (kind === "cone") {
      light.angle = Math.min(l.spread, Math.PI / 2 - 0.01);
      light.penumbra = l.soft;
      light.target.position.set(l.at.x + l.dir.x, l.at.y + l.dir.y, l.at.z + l.dir.z);
      light.target.updateMatrixWorld();
    }
    light.updateMatrixWorld();
    if (light.parent !== scene) scene.add(light);
  }
  bodiesOf(scene, st, stores.film.lensWay !== "lamps");
  for (const kind of ["ball", "cone"]) for (const light of kept[kind].slice(used[kind])) scene.remove(light);
}

const bodies = []; // of lamps that are seen themselves
const mostSeen = 200;
let round = null;

// bodiesOf shows lamps that the camera sees: balls as bright as what they give.
function bodiesOf(scene, st, shown) {
  const of = (e) => (e.hidden ? [] : (e.lit || []).filter((l) => l.radius > 0)),
    list = shown ? (st.elements || []).flatMap(of) : [];
  round ||= new SphereGeometry(1, 16, 12);
  list.slice(0, mostSeen).forEach((l, i) => {
    const b = (bodies[i] ||= new Mesh(round, new MeshBasicMaterial()));
    b.position.set(l.at.x, l.at.y, l.at.z);
    b.scale.setScalar(l.radius);
    const k = 1 / (Math.PI * l.radius * l.radius);
    b.material.color.setRGB(l.cd.x * k, l.cd.y * k, l.cd.z * k, LinearSRGBColorSpace);
    b.updateMatrixWorld();
    if (b.parent !== scene) scene.add(b);
  });
  for (const b of bodies.slice(list.length)) scene.remove(b);
}
