// The light that fills the set, as the server works it out on grids of places (core/ambient): in place of a sky that
// nothing stands in the way of, where a graphics card draws.
import {
  Data3DTexture,
  DataTexture,
  HalfFloatType,
  LinearFilter,
  RedFormat,
  RGBAFormat,
  ShaderChunk,
  ShaderLib,
  Vector3,
  Vector4,
} from "three";

const lit = ["standard", "physical", "lambert", "phong"];
const levels = 3,
  side = 16, // core/ambient.OpenSide
  mostLamps = 32;
// The texture, what a value of 1 stands for (0: there is none), its sizes, and of each level where it begins and its
// step.
const now = {
  ambientLight: { value: empty() },
  ambientTimes: { value: 0 },
  ambientSize: { value: new Vector4(1, 1, 1, 1) },
  // Of each lamp that is drawn, how much of its light gets past what holds it, by direction: one square below another.
  pointOpen: { value: bare() },
  ambientFrom: { value: Array.from({ length: levels }, () => new Vector4(0, 0, 0, 1)) },
};

// bare are the squares of lamps that nothing holds.
function bare() {
  const t = new DataTexture(new Uint8Array(side * side * mostLamps).fill(255), side, side * mostLamps, RedFormat);
  t.minFilter = t.magFilter = LinearFilter;
  t.unpackAlignment = 1;
  t.needsUpdate = true;
  return t;
}
function empty() {
  const t = new Data3DTexture(new Uint16Array(4), 1, 1, 1);
  return held(t);
}
function held(t) {
  t.format = RGBAFormat;
  t.type = HalfFloatType;
  t.minFilter = t.magFilter = LinearFilter;
  t.unpackAlignment = 1;
  t.needsUpdate = true;
  return t;
}

let patched = false;
// ready changes how three.js adds up what is not direct light: once, before the first shader is made.
export function ready() {
  if (patched) return;
  patched = true;
  ShaderChunk.lights_pars_begin =
    `
  #define AMBIENT_GRIDS
  uniform highp sampler3D ambientLight;
  uniform sampler2D pointOpen;
  // openTo is core/ambient's Open of a lamp, read between its shares.
  float openTo(int lamp, vec3 d) {
    vec3 o = d / max(dot(abs(d), vec3(1.0)), 1e-6);
    vec2 q = o.y >= 0.0 ? o.xz : (1.0 - abs(o.zx)) * vec2(o.x >= 0.0 ? 1.0 : -1.0, o.z >= 0.0 ? 1.0 : -1.0);
    vec2 t = clamp((q * 0.5 + 0.5) * ${side}.0, 0.5, ${side}.0 - 0.5) / ${side}.0;
    return texture(pointOpen, vec2(t.x, (float(lamp) + t.y) / ${mostLamps}.0)).r;
  }
  uniform float ambientTimes;
  uniform vec4 ambientSize;
  uniform vec4 ambientFrom[${levels}];
  // ambientAt is core/ambient's Grid.Lux over π: mean luminance and its slope, of the finest grid that holds the place.
  vec4 ambientPart(vec3 q, float slab) {
    vec3 c = clamp(q, vec3(0.0), ambientSize.xyz - 1.0) + 0.5;
    return texture(ambientLight, vec3(c.xy / ambientSize.xy, (slab * ambientSize.z + c.z) /
      (ambientSize.z * 3.0 * ambientSize.w)));
  }
  void ambientAt(vec3 p, vec3 n, out vec3 even, out mat3 slope) {
    int level = ${levels - 1};
    vec3 q;
    for (int i = 0; i < ${levels}; i++) {
      q = (p + n * ambientFrom[i].w * 0.5 - ambientFrom[i].xyz) / ambientFrom[i].w;
      if (all(greaterThanEqual(q, vec3(0.0))) && all(lessThanEqual(q, ambientSize.xyz - 1.0))) {
        level = i;
        break;
      }
    }
    float slab = float(3 * level);
    vec4 r = ambientPart(q, slab), g = ambientPart(q, slab + 1.0), b = ambientPart(q, slab + 2.0);
    even = vec3(r.x, g.x, b.x) * ambientTimes;
    slope = mat3(r.yzw, g.yzw, b.yzw) * ambientTimes;
  }
  ` + ShaderChunk.lights_pars_begin;
  ShaderChunk.lights_fragment_end =
    `
  #if defined( RE_IndirectDiffuse )
  if (ambientTimes > 0.0) {
    mat3 turned = transpose(mat3(viewMatrix));
    vec3 ambientN = turned * geometryNormal, ambientEven;
    mat3 ambientSlope;
    ambientAt(cameraPosition + turned * geometryPosition, ambientN, ambientEven, ambientSlope);
    vec3 ambientLux = max(PI * ambientEven + 2.0 / 3.0 * PI * (ambientN * ambientSlope), vec3(0.0));
    #if defined( RE_IndirectSpecular )
      // What is mirrored is dimmed by as much as the light from there is less than the open sky's.
      vec3 ambientWay = turned * reflect(-geometryViewDir, geometryNormal);
      vec3 seen = max(ambientEven + ambientWay * ambientSlope, vec3(0.0));
      #if defined( USE_ENVMAP )
        vec3 open = getIBLRadiance(geometryViewDir, geometryNormal, 1.0);
        const vec3 bright = vec3(0.2126, 0.7152, 0.0722);
        float ambientDims = min(dot(seen, bright) / max(dot(open, bright), 1e-6), 1.5);
        radiance *= ambientDims;
        #ifdef USE_CLEARCOAT
        clearcoatRadiance *= ambientDims;
        #ifdef STANDING_WATER
        // Water stands on what is level, below the open sky.
        vec3 ambientUp = mat3(viewMatrix) * vec3(0.0, 1.0, 0.0);
        float ambientOpen = dot(max(ambientEven + vec3(0.0, 1.0, 0.0) * ambientSlope, vec3(0.0)), bright) /
          max(dot(getIBLRadiance(ambientUp, ambientUp, 1.0), bright), 1e-6);
        material.clearcoat *= smoothstep(0.35, 0.85, ambientOpen) * smoothstep(0.9, 0.99, ambientN.y);
        #endif
        #endif
      #endif
      irradiance = vec3(0.0);
      iblIrradiance = ambientLux;
    #else
      irradiance = ambientLux;
      iblIrradiance = vec3(0.0);
    #endif
  }
  #endif
  ` + ShaderChunk.lights_fragment_end;
  ShaderChunk.lights_fragment_begin = ShaderChunk.lights_fragment_begin.replace(
    "getPointLightInfo( pointLight, geometryPosition, directLight );",
    `getPointLightInfo( pointLight, geometryPosition, directLight );
    directLight.color *= openTo(UNROLLED_LOOP_INDEX, -(transpose(mat3(viewMatrix)) * directLight.direction));`,
  );
  for (const name of lit) Object.assign(ShaderLib[name].uniforms, now);
}

// take reads what the server packed; null: there is none.
export function take(raw) {
  now.ambientTimes.value = 0;
  if (!raw) return;
  const v = new DataView(raw),
    [nx, ny, nz, n] = [0, 4, 8, 12].map((i) => v.getUint32(i, true)),
    begins = 20 + 16 * n;
  if (n !== levels) return;
  now.ambientFrom.value = Array.from(
    { length: n },
    (_, i) => new Vector4(...[0, 4, 8, 12].map((k) => v.getFloat32(20 + 16 * i + k, true))),
  );
  now.ambientSize.value = new Vector4(nx, ny, nz, n);
  now.ambientLight.value.dispose();
  const ends = begins + 8 * nx * ny * nz * 3 * n,
    values = new Uint16Array(raw.slice(begins, ends));
  now.ambientLight.value = held(new Data3DTexture(values, nx, ny, nz * 3 * n));
  now.ambientTimes.value = v.getFloat32(16, true);
  opens.length = 0;
  for (let at = ends; at + 12 + side * side <= raw.byteLength; at += 12 + side * side)
    opens.push({
      at: new Vector3(...[0, 4, 8].map((k) => v.getFloat32(at + k, true))),
      share: new Uint8Array(raw, at + 12, side * side),
    });
}
const opens = []; // places and shares

// opened tells of each lamp of a scene how much of its light gets past what holds it; they are drawn in the order in
// which three.js has them: those that throw shadows first.
function opened(scene) {
  const lamps = scene.children.filter((o) => o.isPointLight && o.visible);
  lamps.sort((a, b) => Number(b.castShadow) - Number(a.castShadow));
  const t = now.pointOpen.value,
    data = /** @type {Uint8Array} */ (t.image.data),
    before = data.slice();
  data.fill(255);
  lamps.slice(0, mostLamps).forEach((l, i) => {
    let best = null,
      near = 0.2;
    for (const o of opens) {
      const away = o.at.distanceTo(l.position);
      if (away < near) [best, near] = [o, away];
    }
    if (best) data.set(best.share, i * side * side);
  });
  if (data.some((x, i) => x !== before[i])) t.needsUpdate = true;
}

// ambientOf gives all that is drawn the light that there is now, and to its air the shadows of the sun.
export function ambientOf(scene, renderer, on, sun) {
  opened(scene);
  scene.traverse((o) => {
    for (const m of [o.material].flat()) {
      const u = m && renderer.properties.get(m).uniforms;
      if (!u?.ambientTimes) continue;
      if (u.airShadow) u.airShadow.value = sun.shadow.matrix; // as it will be when it is drawn
      for (const key in now) u[key].value = now[key].value;
      if (!on) u.ambientTimes.value = 0;
    }
  });
}

// fills says whether there is any.
export const fills = () => now.ambientTimes.value > 0;
