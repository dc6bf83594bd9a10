// The finish in the browser: the chain of core/finish on the graphics card, with its formulas, to a step of the screen.
// Pictures lie in textures with their first row at the top. What a step takes is in "frame", the picture within what is
// drawn, in pixels; of a take it is all of it.
import {
  DataTexture,
  FloatType,
  GLSL3,
  Mesh,
  NearestFilter,
  OrthographicCamera,
  PlaneGeometry,
  RGBAFormat,
  Scene,
  ShaderMaterial,
  Vector2,
  Vector4,
  WebGLRenderTarget,
} from "three";
import { amounts, balance, boxes, hueAt, noiseOf, spreads } from "./chainsums.js";

const vertexShader = "void main() { gl_Position = vec4(position.xy, 0.0, 1.0); }";

const common = `
uniform sampler2D picture; uniform vec4 frame; out vec4 colour;
ivec2 here() { return ivec2(gl_FragCoord.xy); }
vec3 at(sampler2D p, ivec2 i) { return texelFetch(p, clamp(i, ivec2(0), textureSize(p, 0) - 1), 0).rgb; }
float encode(float v) { return v <= 0.0 ? 0.0 : v >= 1.0 ? 1.0 : v <= 0.0031308 ? 12.92 * v :
  1.055 * pow(v, 1.0 / 2.4) - 0.055; }
float decode(float v) { return v <= 0.04045 ? v / 12.92 : pow((v + 0.055) / 1.055, 2.4); }
vec3 encode3(vec3 c) { return vec3(encode(c.r), encode(c.g), encode(c.b)); }
vec3 decode3(vec3 c) { return vec3(decode(c.r), decode(c.g), decode(c.b)); }
`;

// The passes, each a fragment shader; what it takes stands before it.
const passes = {
  exposed: `uniform float scale, hidden; uniform mat3 white; uniform bool upward, balanced;
void main() {
  ivec2 i = here(), n = textureSize(picture, 0);
  if (upward) i.y = n.y - 1 - i.y;
  vec4 c = texelFetch(picture, i, 0);
  vec3 v = c.rgb * scale * (1.0 - hidden * (1.0 - c.a));
  colour = vec4(balanced ? max(white * v, 0.0) : v, 1.0);
}`,
  bent: `uniform float bend; uniform vec3 scales;
vec4 cubic(float t) { float u = t * t, w = u * t; return vec4(-w + 2.0 * u - t, 3.0 * w - 5.0 * u + 2.0,
  -3.0 * w + 4.0 * u + t, w - u) / 2.0; }
float one(int k, vec2 p) {
  vec2 f = floor(p); ivec2 i = ivec2(f); vec4 wx = cubic(p.x - f.x), wy = cubic(p.y - f.y); float sum = 0.0;
  for (int y = 0; y < 4; y++) for (int x = 0; x < 4; x++)
    sum += wx[x] * wy[y] * at(picture, i + ivec2(x - 1, y - 1))[k];
  float a = at(picture, i)[k], b = at(picture, i + ivec2(1, 0))[k], c = at(picture, i + ivec2(0, 1))[k],
    d = at(picture, i + ivec2(1, 1))[k];
  return clamp(sum, min(min(a, b), min(c, d)), max(max(a, b), max(c, d)));
}
void main() {
  vec2 mid = frame.xy + frame.zw / 2.0, d = gl_FragCoord.xy - mid;
  float r = length(d) / (length(frame.zw) / 2.0);
  vec3 s = scales * (1.0 + bend * r * r);
  colour = vec4(one(0, mid + d * s.r - 0.5), one(1, mid + d * s.g - 0.5), one(2, mid + d * s.b - 0.5), 1.0);
}`,
  shrunk: `uniform int k;
void main() {
  ivec2 o = here(), size = textureSize(picture, 0), n = (size + k - 1) / k;
  ivec2 lo = max((o - 1) * k, 0), hi = min((o + 2) * k, size);
  vec3 sum = vec3(0.0); float all = 0.0;
  for (int y = lo.y; y < hi.y; y++) for (int x = lo.x; x < hi.x; x++) {
    vec2 p = clamp((vec2(x, y) + 0.5) / float(k) - 0.5, vec2(0.0), vec2(n - 1)), w = max(1.0 - abs(p - vec2(o)), 0.0);
    sum += at(picture, ivec2(x, y)) * w.x * w.y; all += w.x * w.y;
  }
  colour = vec4(sum / all, 1.0);
}`,
  boxed: `uniform int r; uniform ivec2 along;
void main() {
  vec3 sum = vec3(0.0);
  for (int i = -r; i <= r; i++) sum += at(picture, here() + i * along);
  colour = vec4(sum / float(2 * r + 1), 1.0);
}`,
  bloomed: `uniform sampler2D wide, middle, near; uniform ivec3 ks; uniform float amount;
vec3 of(sampler2D p, int k) {
  vec2 last = vec2(textureSize(p, 0) - 1),
    q = clamp((vec2(here()) + 0.5) / float(k) - 0.5, vec2(0.0), last), f = floor(q);
  ivec2 i = ivec2(f); q -= f;
  return mix(mix(at(p, i), at(p, i + ivec2(1, 0)), q.x), mix(at(p, i + ivec2(0, 1)), at(p, i + ivec2(1, 1)), q.x), q.y);
}
void main() {
  vec3 c = at(picture, here()), sum = (of(wide, ks.x) + of(middle, ks.y) + of(near, ks.z)) / 3.0;
  colour = vec4(c + amount * (sum - c), 1.0);
}`,
  coloured: `uniform float falloff; uniform vec4 window; uniform bool grades, turns, curves, looks, three;
uniform vec3 slope, offset, power; uniform float saturation, turn[6], more[6], hues[6], own[8], points[5], share;
uniform int tone, size; uniform sampler2D table; uniform vec3 low, high;
const vec3 luma = vec3(0.2126, 0.7152, 0.0722);
const float turnAround = 6.283185307179586;
float cbrt(float x) { return sign(x) * pow(abs(x), 1.0 / 3.0); }
float around(float a) { a = mod(a, turnAround); return a < 0.0 ? a + turnAround : a; }
vec3 hued(vec3 c) {
  float l = cbrt(dot(c, vec3(0.4122214708, 0.5363325363, 0.0514459929))),
    m = cbrt(dot(c, vec3(0.2119034982, 0.6806995451, 0.1073969566))),
    s = cbrt(dot(c, vec3(0.0883024619, 0.2817188376, 0.6299787005)));
  vec3 lms = vec3(l, m, s);
  float L = dot(lms, vec3(0.2104542553, 0.7936177850, -0.0040720468)),
    a = dot(lms, vec3(1.9779984951, -2.4285922050, 0.4505937099)),
    b = dot(lms, vec3(0.0259040371, 0.7827717662, -0.8086757660)), strong = length(vec2(a, b));
  if (!(strong > 1e-9)) return c;
  float hue = atan(b, a), by = 0.0, stops = 0.0;
  for (int i = 0; i < 6; i++) {
    int next = (i + 1) % 6; float gap = around(hues[next] - hues[i]), off = around(hue - hues[i]);
    if (off < gap || off == 0.0) {
      float k = off / gap; k = k * k * (3.0 - 2.0 * k);
      by = mix(turn[i], turn[next], k); stops = mix(more[i], more[next], k);
      break;
    }
  }
  hue += by; strong *= exp2(stops); a = strong * cos(hue); b = strong * sin(hue);
  l = L + 0.3963377774 * a + 0.2158037573 * b; m = L - 0.1055613458 * a - 0.0638541728 * b;
  s = L - 0.0894841775 * a - 1.2914855480 * b;
  lms = vec3(l * l * l, m * m * m, s * s * s);
  return max(vec3(dot(lms, vec3(4.0767416621, -3.3077115913, 0.2309699292)),
    dot(lms, vec3(-1.2684380046, 2.6097574011, -0.3413193965)),
    dot(lms, vec3(-0.0041960863, -0.7034186147, 1.7076147010))), 0.0);
}
vec3 neutral(vec3 c) {
  const float start = 0.8 - 0.04, desaturation = 0.15, d = 1.0 - start;
  float x = min(c.r, min(c.g, c.b)); c -= x < 0.08 ? x - 6.25 * x * x : 0.04;
  float peak = max(c.r, max(c.g, c.b));
  if (peak < start) return c;
  float newPeak = 1.0 - d * d / (peak + d - start);
  c *= newPeak / peak;
  return mix(c, vec3(newPeak), 1.0 - 1.0 / (desaturation * (peak - newPeak) + 1.0));
}
float print(float x) { x *= 0.6; return clamp(x * (2.51 * x + 0.03) / (x * (2.43 * x + 0.59) + 0.14), 0.0, 1.0); }
float steep(float x) {
  const float pivot = 10.0 / 16.5, steepness = 2.4; float grey = encode(0.18);
  return decode(x < pivot ? grey * pow(x / pivot, steepness * pivot / grey) :
    1.0 - (1.0 - grey) * pow((1.0 - x) / (1.0 - pivot), steepness * (1.0 - pivot) / (1.0 - grey)));
}
float stopsOf(float x) { return log2(max(x, 1e-10) / 0.18); }
float logarithmOf(float x) { return steep(clamp((stopsOf(x) + 10.0) / 16.5, 0.0, 1.0)); }
vec3 logarithmic(vec3 c) {
  const float together = 0.16;
  c += together * ((c.r + c.g + c.b) / 3.0 - c);
  vec3 r = vec3(logarithmOf(c.r), logarithmOf(c.g), logarithmOf(c.b));
  return clamp((r - together * (r.r + r.g + r.b) / 3.0) / (1.0 - together), 0.0, 1.0);
}
// A piece of the curve without overshooting from b to c, with a before and d after them; ends say that there is none.
float piece(float a, float b, float c, float d, bool first, bool last, float t) {
  float y = c - b, p = b - a, q = d - c;
  float m = first ? y : p * y <= 0.0 ? 0.0 : 2.0 * p * y / (p + y),
    n = last ? y : y * q <= 0.0 ? 0.0 : 2.0 * y * q / (y + q);
  if (abs(m) > 3.0 * abs(y)) m = 3.0 * y;
  if (abs(n) > 3.0 * abs(y)) n = 3.0 * y;
  float u = t * t, w = u * t;
  return clamp(b * (2.0 * w - 3.0 * u + 1.0) + m * (w - 2.0 * u + t) + c * (3.0 * u - 2.0 * w) + n * (w - u), 0.0, 1.0);
}
float curveOf(float x) {
  x = clamp(x, 0.0, 1.0) * 4.0; int i = min(int(x), 3);
  return piece(points[max(i - 1, 0)], points[i], points[i + 1], points[min(i + 2, 4)], i == 0, i == 3, x - float(i));
}
float ownOf(float v) {
  float x = clamp((stopsOf(v) + 8.0) / 14.0, 0.0, 1.0) * 7.0; int i = min(int(x), 6);
  return decode(piece(own[max(i - 1, 0)], own[i], own[i + 1], own[min(i + 2, 7)], i == 0, i == 6, x - float(i)));
}
vec3 entry(int n) { int w = textureSize(table, 0).x; return texelFetch(table, ivec2(n % w, n / w), 0).rgb; }
vec3 looked(vec3 c) {
  vec3 x = clamp((c - low) / (high - low), 0.0, 1.0) * float(size - 1), f = min(floor(x), float(size - 2)); x -= f;
  ivec3 i = ivec3(f);
  if (!three) return vec3(mix(entry(i.r).r, entry(i.r + 1).r, x.r), mix(entry(i.g).g, entry(i.g + 1).g, x.g),
    mix(entry(i.b).b, entry(i.b + 1).b, x.b));
  int n = i.r + size * (i.g + size * i.b), up = size, far = size * size;
  return mix(mix(mix(entry(n), entry(n + 1), x.r), mix(entry(n + up), entry(n + up + 1), x.r), x.g),
    mix(mix(entry(n + far), entry(n + far + 1), x.r),
      mix(entry(n + far + up), entry(n + far + up + 1), x.r), x.g), x.b);
}
void main() {
  vec3 c = at(picture, here());
  if (falloff > 0.0) {
    vec2 p = (gl_FragCoord.xy - frame.xy) / frame.zw,
      w = vec2(mix(window.x, window.y, p.x), mix(window.z, window.w, p.y));
    float cos2 = 1.0 / (1.0 + dot(w, w));
    c *= 1.0 + falloff * (cos2 * cos2 - 1.0);
  }
  if (grades) {
    c = pow(max(c * slope + offset, 0.0), power);
    c = max(vec3(dot(c, luma)) + saturation * (c - dot(c, luma)), 0.0);
  }
  if (turns) c = hued(c);
  if (tone == 1) c = vec3(print(c.r), print(c.g), print(c.b));
  else if (tone == 2) c = logarithmic(c);
  else if (tone == 3) c = min(c, 1.0);
  else if (tone == 4) c = vec3(ownOf(c.r), ownOf(c.g), ownOf(c.b));
  else c = neutral(c);
  if (curves) { c = encode3(c); c = decode3(vec3(curveOf(c.r), curveOf(c.g), curveOf(c.b))); }
  if (looks) { vec3 s = encode3(c); c = decode3(max(mix(s, looked(s), share), 0.0)); }
  colour = vec4(c, 1.0);
}`,
  grained: `uniform sampler2D noise; uniform float amount;
void main() {
  vec3 v = encode3(at(picture, here()));
  v += 0.25 * amount * texelFetch(noise, here(), 0).r * sqrt(max(v * (1.0 - v), 0.0));
  colour = vec4(decode3(clamp(v, 0.0, 1.0)), 1.0);
}`,
  sharpened: `uniform sampler2D soft; uniform float amount;
void main() {
  vec3 c = at(picture, here());
  colour = vec4(clamp(c + amount * (c - at(soft, here())), 0.0, 1.0), 1.0);
}`,
  shown: `uniform float aspect; uniform vec2 size;
void main() {
  ivec2 n = textureSize(picture, 0), i = ivec2(gl_FragCoord.xy * vec2(n) / size); i.y = n.y - 1 - i.y;
  vec3 c = encode3(at(picture, i));
  vec2 p = vec2(i) + 0.5 - frame.xy, mid = frame.zw / 2.0;
  if (aspect > 0.0 && all(greaterThanEqual(p, vec2(0.0))) && all(lessThanEqual(p, frame.zw))) {
    vec2 keep = vec2(min(frame.z, frame.w * aspect), min(frame.w, frame.z / aspect)) / 2.0;
    if (any(greaterThan(abs(p - mid), keep))) c = vec3(0.0);
  }
  colour = vec4(c, 1.0);
}`,
};

// tones are the ways in which what is bright comes within white, as the passes number them.
const tones = ["neutral", "as a film print", "by its logarithm", "plain", "by an own curve"];

// floats is a texture of values, 4 a pixel.
export function floats(data, w, h) {
  const t = new DataTexture(data, w, h, RGBAFormat, FloatType);
  t.needsUpdate = true;
  return t;
}

// tableOf lays a .cube file into a texture.
export function tableOf(text) {
  const t = { size: 0, three: true, low: [0, 0, 0], high: [1, 1, 1], texture: null },
    values = [];
  for (const line of text.split("\n")) {
    const [word, ...rest] = line.trim().split(/\s+/);
    if (word === "LUT_1D_SIZE" || word === "LUT_3D_SIZE") {
      t.size = Number(rest[0]);
      t.three = word === "LUT_3D_SIZE";
    } else if (word === "DOMAIN_MIN") t.low = rest.map(Number);
    else if (word === "DOMAIN_MAX") t.high = rest.map(Number);
    else if (/^[-+.\d]/.test(word)) values.push(Number(word), Number(rest[0]), Number(rest[1]), 1);
  }
  const w = 4096,
    n = values.length / 4,
    data = new Float32Array(4 * Math.min(w, n) * Math.ceil(n / w));
  data.set(values);
  t.texture = floats(data, Math.min(w, n), Math.ceil(n / w));
  return t;
}

// Finisher finishes pictures with a renderer.
export class Finisher {
  __v_skip = true;

  constructor(renderer) {
    this.renderer = renderer;
    this.targets = new Map();
    this.materials = {};
    this.mesh = new Mesh(new PlaneGeometry(2, 2));
    this.mesh.frustumCulled = false;
    this.scene = new Scene();
    this.scene.add(this.mesh);
    this.flat = new OrthographicCamera(-1, 1, 1, -1, 0, 1);
    this.nothing = floats(new Float32Array(4), 1, 1);
    this.lit = ""; // what the light was made of that lies in target "lit"
    this.grain = { of: "", texture: null };
  }

  // target is one by name, of a size.
  target(name, w, h) {
    let t = this.targets.get(name);
    if (!t)
      this.targets.set(
        name,
        (t = new WebGLRenderTarget(w, h, { type: FloatType, format: RGBAFormat, depthBuffer: false,
          minFilter: NearestFilter, magFilter: NearestFilter })),
      );
    t.setSize(w, h);
    return t;
  }

  // pass draws one pass into a target, or onto the canvas, and gives its texture.
  pass(name, to, values) {
    const m = (this.materials[name] ||= new ShaderMaterial({
      glslVersion: GLSL3,
      vertexShader,
      fragmentShader: common + passes[name],
      depthTest: false,
      depthWrite: false,
      toneMapped: false,
      uniforms: {},
    }));
    for (const [k, value] of Object.entries(values)) (m.uniforms[k] ||= { value }).value = value;
    this.mesh.material = m;
    this.renderer.setRenderTarget(to);
    this.renderer.render(this.scene, this.flat);
    this.renderer.setRenderTarget(null);
    return to?.texture;
  }

  // blurred is a picture after three boxes, each there and back, in a target of that name.
  blurred(name, picture, w, h, deviation) {
    for (const r of boxes(deviation)) {
      if (r < 1) continue;
      picture = this.pass("boxed", this.target("across", w, h), { picture, r, along: new Vector2(1, 0) });
      picture = this.pass("boxed", this.target(name, w, h), { picture, r, along: new Vector2(0, 1) });
    }
    return picture;
  }

  // light is all that is done to light before its colours are: it stays until something of that changes.
  light(p, steps) {
    const { w, h } = p,
      { occlusion, white, distortion, bloom } = steps,
      key = JSON.stringify([w, h, p.scale, p.frame, p.upward, occlusion, white, distortion, bloom]),
      frame = new Vector4(...p.frame);
    if (p.name && this.lit === p.name + key) return this.target("lit", w, h).texture;
    this.lit = p.name && p.name + key;
    const m = balance(white.kelvin, white.tint);
    let picture = this.pass("exposed", this.target("lit", w, h), {
      picture: p.texture,
      frame,
      scale: p.scale,
      upward: Boolean(p.upward),
      hidden: occlusion.amount,
      balanced: Boolean(m),
      white: m || [1, 0, 0, 0, 1, 0, 0, 0, 1],
    });
    if (bloom.amount) {
      const parts = spreads(bloom.wide * p.frame[2]).map(({ k, deviation }, i) => {
        const sw = Math.ceil(w / k),
          sh = Math.ceil(h / k),
          small = k > 1 ? this.pass("shrunk", this.target("small" + i, sw, sh), { picture, k }) : picture;
        return { k, texture: this.blurred("spread" + i, small, sw, sh, deviation) };
      });
      picture = this.pass("bloomed", this.target("bloomed", w, h), {
        picture,
        wide: parts[0].texture,
        middle: parts[1].texture,
        near: parts[2].texture,
        ks: parts.map((x) => x.k),
        amount: bloom.amount,
      });
    }
    if (distortion.bend || distortion.fringe)
      picture = this.pass("bent", this.target("bent", w, h), {
        picture,
        frame,
        bend: distortion.bend,
        scales: amounts(distortion),
      });
    if (picture !== this.target("lit", w, h).texture) {
      // What is kept has one name, whatever was done.
      const last = [...this.targets].find(([, t]) => t.texture === picture)[0],
        lit = this.targets.get("lit");
      this.targets.set("lit", this.targets.get(last)).set(last, lit);
    }
    return picture;
  }

  // draw finishes a picture by steps, all of them as they are or begin, into a target or onto the canvas. p is
  // { name, texture, w, h, scale, frame, window, upward, table }: name tells pictures apart, "" are never the same.
  draw(p, steps, target = null) {
    const { w, h } = p,
      { falloff, grade, hues, tone, curve, look, grain, sharpen, letterbox } = steps,
      frame = new Vector4(...p.frame),
      rgb = (k) => [grade[k + "R"], grade[k + "G"], grade[k + "B"]],
      grades = [...rgb("slope"), ...rgb("power"), grade.saturation].some((x) => x !== 1) || rgb("offset").some(Boolean),
      names = ["red", "yellow", "green", "cyan", "blue", "magenta"],
      more = names.map((n) => hues["more" + n[0].toUpperCase() + n.slice(1)]),
      points = [curve.black, curve.shadows, curve.middle, curve.lights, curve.white],
      table = p.table || { size: 2, three: true, low: [0, 0, 0], high: [1, 1, 1], texture: this.nothing };
    let picture = this.pass("coloured", this.target("coloured", w, h), {
      picture: this.light(p, steps),
      frame,
      falloff: falloff.amount,
      window: new Vector4(...p.window),
      grades,
      slope: rgb("slope"),
      offset: rgb("offset"),
      power: rgb("power"),
      saturation: grade.saturation,
      turns: [...names.map((n) => hues[n]), ...more].some(Boolean),
      turn: names.map((n) => hues[n]),
      more,
      hues: hueAt,
      tone: Math.max(tones.indexOf(tone.by), 0),
      own: [0, tone.minus6, tone.minus4, tone.minus2, tone.grey, tone.plus2, tone.plus4, 1],
      curves: points.some((x, i) => x !== i / 4),
      points,
      looks: Boolean(p.table),
      share: look.share,
      table: table.texture,
      size: table.size,
      three: table.three,
      low: table.low,
      high: table.high,
    });
    if (grain.amount)
      picture = this.pass("grained", this.target("grained", w, h), {
        picture,
        noise: this.noise(grain, w, h),
        amount: grain.amount,
      });
    if (sharpen.amount)
      picture = this.pass("sharpened", this.target("sharpened", w, h), {
        picture,
        soft: this.blurred("soft", picture, w, h, Math.max(sharpen.radius, 1.5)),
        amount: sharpen.amount,
      });
    const size = new Vector2(w, h);
    if (!target) this.renderer.getDrawingBufferSize(size);
    this.pass("shown", target, { picture, frame, size, aspect: letterbox.on ? letterbox.aspect : 0 });
  }

  // noise is that of a grain, made once.
  noise(g, w, h) {
    const of = [g.seed, g.size, w, h].join();
    if (this.grain.of !== of) {
      this.grain.texture?.dispose();
      this.grain = { of, texture: floats(noiseOf(g, w, h), w, h) };
    }
    return this.grain.texture;
  }
}
