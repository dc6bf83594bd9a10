// What surfaces are made of in the lens view: materials of the set in the place of those that models came with
// (core/surface), with their pictures at true size.
import {
  BufferAttribute,
  Color,
  LinearSRGBColorSpace,
  Matrix4,
  MeshPhysicalMaterial,
  MeshStandardMaterial,
  RepeatWrapping,
  SRGBColorSpace,
  TextureLoader,
  Vector3,
} from "three";
import { part } from "./faces.js";
import { throwOnto } from "./thrown.js";

// worn are the materials of a set's elements by the thing and by the piece on which they count.
export function worn(st) {
  const by = new Map();
  for (const e of st.elements)
    if (e.kind === "material" && !e.hidden)
      for (const on of e.spec.on || []) {
        const key = on.thing ? `thing ${on.thing}` : `piece ${on.piece}`;
        if (!by.has(key)) by.set(key, []);
        by.get(key).push({ on, spec: e.spec, id: e.id });
      }
  return by;
}

// matching are those that may count on a thing that shows a piece; "" of none.
export function matching(by, thing, piece) {
  const list = [...(by.get(`piece ${piece}`) || []), ...(by.get(`thing ${thing}`) || [])];
  return list.length ? list : null;
}
export const named = (list) => (list ? JSON.stringify(list) : "");

// of is the material of a surface: what is said of the thing counts before what is said of its piece, and what is said
// of the surface before what is said of all.
function of(list, name) {
  let best = -1,
    found = null;
  for (const m of list) {
    if ((m.on.surface && m.on.surface !== name) || m.on.faces) continue;
    const rank = (m.on.thing ? 2 : 0) + (m.on.surface ? 1 : 0);
    if (rank >= best) [best, found] = [rank, m.spec];
  }
  return found;
}

const loader = new TextureLoader(),
  pictures = new Map(); // by address: of the picture as it came

function picture(blob, colored, slot, then) {
  const url = `/blobs/${blob}?as=png`;
  if (!pictures.has(url)) pictures.set(url, loader.loadAsync(url).catch(() => null));
  pictures.get(url).then((whole) => {
    if (!whole) return;
    const t = whole.clone();
    t.flipY = false;
    t.wrapS = t.wrapT = RepeatWrapping;
    t.colorSpace = colored ? SRGBColorSpace : LinearSRGBColorSpace;
    t.repeat.set(slot.scale[0], slot.scale[1]);
    t.offset.set(slot.offset[0], slot.offset[1]);
    t.rotation = slot.turn;
    t.needsUpdate = true;
    then(t);
  });
}

// run is how far the coordinates of meshes run from 0 to 1, in metres: core/sizing's Runs.
function run(meshes, inner) {
  let world = 0,
    flat = 0;
  const [a, b, c] = [new Vector3(), new Vector3(), new Vector3()],
    m = new Matrix4();
  for (const o of meshes) {
    const p = o.geometry.attributes.position,
      uv = o.geometry.attributes.uv,
      index = o.geometry.index,
      n = index ? index.count : p.count;
    if (!uv) continue;
    m.multiplyMatrices(inner, o.matrixWorld);
    for (let i = 0; i + 2 < n; i += 3) {
      const at = [0, 1, 2].map((k) => (index ? index.getX(i + k) : i + k));
      [a, b, c].forEach((v, k) => v.fromBufferAttribute(p, at[k]).applyMatrix4(m));
      const area = b.sub(a).cross(c.sub(a)).length() / 2,
        [u0, v0] = [uv.getX(at[0]), uv.getY(at[0])],
        on =
          Math.abs((uv.getX(at[1]) - u0) * (uv.getY(at[2]) - v0) - (uv.getX(at[2]) - u0) * (uv.getY(at[1]) - v0)) / 2;
      if (area > 0 && on > 0) [world, flat] = [world + area, flat + on];
    }
  }
  return flat > 0 ? Math.sqrt(world / flat) : 0;
}

// parted gives a geometry other coordinates: those that lie tells for the corners of each triangle and its normal.
function parted(g, metres, lie) {
  const out = g.index ? g.toNonIndexed() : g.clone(),
    p = out.attributes.position,
    uv = new Float32Array(2 * p.count),
    [a, b, c] = [new Vector3(), new Vector3(), new Vector3()];
  for (let i = 0; i + 2 < p.count; i += 3) {
    [a, b, c].forEach((v, k) => v.fromBufferAttribute(p, i + k));
    const f = b.clone().sub(a).cross(c.clone().sub(a));
    lie(f, [a, b, c]).forEach(([s, t], k) => uv.set([s * metres, t * metres], 2 * (i + k)));
  }
  out.setAttribute("uv", new BufferAttribute(uv, 2));
  return out;
}

// most is the axis that a face faces most.
function most(f) {
  const [x, y, z] = [Math.abs(f.x), Math.abs(f.y), Math.abs(f.z)];
  return y >= x && y >= z ? "y" : x >= z ? "x" : "z";
}
const fromSide = { y: (q) => [q.x, q.z], x: (q) => [q.z, -q.y], z: (q) => [q.x, -q.y] };

// boxed gives a geometry coordinates in metres from three sides: core/surface's Boxed.
const boxed = (g, metres) => parted(g, metres, (f, corners) => corners.map(fromSide[most(f)]));

// onBox gives a geometry coordinates that run from 0 to 1 over each side of its box: core/surface's onBox.
function onBox(g) {
  g.computeBoundingBox();
  const { min } = g.boundingBox,
    size = g.boundingBox.getSize(new Vector3()).clampScalar(1e-30, Infinity);
  return parted(g, 1, (f, corners) => {
    const axis = most(f),
      turned = (axis === "x" && f.x > 0) || (axis === "z" && f.z < 0); // as it is read from outside
    return corners.map((q) => {
      const [u, v] = fromSide[axis](q.clone().sub(min).divide(size));
      return axis === "y" ? [u, v] : [turned ? 1 - u : u, v + 1];
    });
  });
}

// round gives it such round an upright axis: core/surface's Round.
function round(g, metres, tile) {
  const p = g.attributes.position,
    side = (f) => Math.abs(f.y) < 0.8 * f.length();
  g.computeBoundingBox();
  const mid = g.boundingBox.getCenter(new Vector3());
  let radius = 0;
  for (let i = 0; i < p.count; i++) radius += Math.hypot(p.getX(i) - mid.x, p.getZ(i) - mid.z) / p.count;
  const times = (2 * Math.PI * radius * metres) / tile;
  if (times > 0) radius *= Math.max(Math.round(times), 1) / times;
  return parted(g, metres, (f, corners) => {
    if (!side(f)) return corners.map((q) => [q.x, q.z]);
    const turns = corners.map((q) => Math.atan2(q.x - mid.x, q.z - mid.z));
    return corners.map((q, k) => {
      const on = turns[k] + 2 * Math.PI * Math.round((turns[0] - turns[k]) / (2 * Math.PI));
      return [radius * on, -q.y];
    });
  });
}

// wearsOf are the wear of a set, and weathers those of them that count on a thing.
export const wearsOf = (st) => st.elements.filter((e) => e.kind === "wear" && !e.hidden).map((e) => e.spec);
export function weathers(wears, thing, group) {
  const list = wears.filter((w) => !w.only.length || w.only.includes(thing) || w.only.includes(group));
  return list.length ? list : null;
}

const weathered = new WeakMap(), // materials as they are worn, by what wears them: shared by all that show them
  mades = new Map(), // materials of the set, by what they are made of
  boxes = new WeakMap(),
  sided = new WeakMap();

// weather darkens and covers a model about as its wear does on the mean: where it lies is told by the renderer alone.
export function weather(model, list, plainly) {
  if (!list) return model;
  const key = named([list, plainly]);
  model.traverse((o) => {
    if (!o.isMesh || Array.isArray(o.material)) return;
    if (!weathered.has(o.material)) weathered.set(o.material, new Map());
    const own = weathered.get(o.material);
    if (!own.has(key)) {
      if (own.size > 20) own.clear();
      const standing = Math.max(...list.map((w) => w.puddles)), // water mirrors the sky, where it stands
        coated = standing > 0 && !plainly && o.material.isMeshStandardMaterial,
        m = coated && !o.material.isMeshPhysicalMaterial ? physically(o.material) : o.material.clone();
      m.onBeforeCompile = o.material.onBeforeCompile;
      m.customProgramCacheKey = o.material.customProgramCacheKey;
      if (coated) {
        m.clearcoat = Math.max(m.clearcoat, standing);
        m.clearcoatRoughness = 0.05;
        m.defines = { ...m.defines, STANDING_WATER: "" }; // see ambient.js
      }
      for (const w of list) {
        m.color.lerp(color(w.mossOf), 0.35 * w.moss);
        m.color.lerp(color(w.dustOf), 0.35 * w.dust);
        const wet = Math.max(w.wet, w.puddles);
        m.color.multiplyScalar(1 - 0.35 * wet); // core/surface's Wetted, of stone and wood
        if (m.isMeshStandardMaterial) m.roughness *= 1 - 0.35 * wet;
        m.color.lerp(new Color(0.87, 0.88, 0.9), 0.6 * w.snow);
      }
      own.set(key, m);
    }
    o.material = own.get(key);
  });
  return model;
}

const color = (hex) => new Color(hex),
  thrown = "thrown from a camera",
  oneBox = "once on each side of its box";

// made is a material of three.js for one of the set.
function made(s, slot, plain, then) {
  const m = plain.clone();
  m.color = color(s.base);
  m.emissive = color(s.glowColor);
  m.emissiveIntensity = s.glow;
  m.map = m.emissiveMap = m.normalMap = m.aoMap = null;
  const put = (key, role, colored = false) => {
    const p = s.maps?.[role];
    if (p)
      picture(p.blob, colored, slot, (t) => {
        // What comes to a material comes to it as it is worn too.
        for (const one of [m, ...(weathered.get(m)?.values() || [])]) {
          one[key] = t;
          one.needsUpdate = true;
        }
        then();
      });
  };
  put("map", "base", true);
  put("emissiveMap", "glow", true);
  if (m.isMeshStandardMaterial) {
    m.roughness = s.rough;
    m.metalness = s.metal;
    m.roughnessMap = m.metalnessMap = null;
    put("normalMap", "normal");
    put("roughnessMap", "metal and roughness");
    put("metalnessMap", "metal and roughness");
    put("roughnessMap", "roughness");
    put("metalnessMap", "metal");
    m.normalScale?.set(s.bumps, s.bumps);
    m.bumpMap = null;
    m.bumpScale = s.relief || 0;
    if (s.relief) put("bumpMap", "height");
  }
  if (m.isMeshPhysicalMaterial) {
    m.ior = Math.max(s.index, 1);
    m.clearcoat = s.coat;
    m.clearcoatRoughness = s.coatRough;
    m.sheen = s.sheen ? 1 : 0;
    m.sheenColor = color(s.sheen || "#000000");
    m.sheenRoughness = s.sheenRough;
    m.specularIntensity = s.specular;
    m.specularColor = color(s.tint);
    m.iridescence = s.film;
    m.iridescenceIOR = s.filmIndex;
    m.iridescenceThicknessRange = [s.filmThick, s.filmThick];
    m.anisotropy = s.brush;
    m.anisotropyRotation = s.brushTurn;
  }
  m.transparent = s.clear > 0 || s.alpha === "see-through";
  m.opacity = 1 - 0.92 * s.clear;
  m.depthWrite = !(s.clear > 0);
  m.alphaTest = s.alpha === "cut out" ? s.cutoff : 0;
  if (s.lay === thrown && s.thrown) throwOnto(m, s.thrown);
  return m;
}

// coat makes the surfaces of a model of what matches; inner brings it to metres, then is called when a picture came.
export function coat(model, list, inner, plainly, then) {
  if (!list) return model;
  model.updateMatrixWorld(true);
  const by = new Map();
  model.traverse((o) => {
    if (!o.isMesh || Array.isArray(o.material)) return;
    const name = o.material.name || "";
    if (!by.has(name)) by.set(name, []);
    by.get(name).push(o);
  });
  const metres = new Vector3().setFromMatrixScale(inner).x,
    works = [...by].map(([name, meshes]) => ({ name, meshes, s: of(list, name) }));
  for (const { on, spec } of list) {
    const own = on.faces && part(model, inner, on.faces);
    if (!own) continue;
    for (const w of works) w.meshes = w.meshes.filter((o) => o !== own);
    works.push({ name: own.material.name || "", meshes: [own], s: spec });
  }
  for (const { name, meshes, s } of works) {
    if (!s || !meshes.length) continue;
    let repeat = run(meshes, inner);
    const laid = s.lay === oneBox || (s.tile > 0 && (s.lay !== "as the coordinates run" || !repeat)),
      whole = s.lay === oneBox || s.lay === thrown; // the picture lies once
    if (s.maps && Object.keys(s.maps).length && laid) {
      for (const o of meshes) {
        if (s.lay === oneBox) {
          if (!sided.has(o.geometry)) sided.set(o.geometry, onBox(o.geometry));
          o.geometry = sided.get(o.geometry);
          continue;
        }
        if (s.lay === "round a pole") {
          o.geometry = round(o.geometry, metres, s.tile);
          continue;
        }
        if (!boxes.has(o.geometry)) boxes.set(o.geometry, boxed(o.geometry, metres));
        o.geometry = boxes.get(o.geometry);
      }
      repeat = 1;
    }
    const tiled = s.tile > 0 && !whole,
      times = tiled && repeat > 0 ? repeat / s.tile : 1,
      tile = tiled ? s.tile : 1,
      tall = whole ? 1 : s.tall,
      slot = {
        scale: [times, times / tall],
        offset: [s.along / tile, s.down / tile / tall],
        turn: s.turn,
      },
      key = JSON.stringify([s, slot, plainly, name]);
    if (!mades.has(key)) {
      if (mades.size > 500) mades.clear();
      const from = plainly ? meshes[0].material : new MeshPhysicalMaterial().copy(physical(meshes[0].material));
      mades.set(key, made(s, slot, from, then));
    }
    const m = mades.get(key);
    m.name = name;
    for (const o of meshes) o.material = m;
  }
  return model;
}

// physically is a standard material as one of the finest kind, with all that it has.
function physically(m) {
  const out = MeshStandardMaterial.prototype.copy.call(new MeshPhysicalMaterial(), m);
  out.defines = { STANDARD: "", PHYSICAL: "" };
  return out;
}

// physical is a material with all that the finest kind of three.js has.
function physical(m) {
  return m.isMeshPhysicalMaterial ? m : Object.assign(new MeshPhysicalMaterial(), { name: m.name, side: m.side });
}
