// What the finish in the browser works out once for a picture: the sums of core/finish and core/chroma, the same in
// both.

const product = (a, b) =>
  a.map((row) => [0, 1, 2].map((k) => row[0] * b[0][k] + row[1] * b[1][k] + row[2] * b[2][k]));
const times = (m, v) => m.map((row) => row[0] * v[0] + row[1] * v[1] + row[2] * v[2]);

const toRec709 = [
    [3.2404542, -1.5371385, -0.4985314],
    [-0.969266, 1.8760108, 0.041556],
    [0.0556434, -0.2040259, 1.0572252],
  ],
  fromRec709 = [
    [0.4124564, 0.3575761, 0.1804375],
    [0.2126729, 0.7151522, 0.072175],
    [0.0193339, 0.119192, 0.9503041],
  ],
  // Bradford's cones, and back.
  cones = [
    [0.8951, 0.2664, -0.1614],
    [-0.7502, 1.7135, 0.0367],
    [0.0389, -0.0685, 1.0296],
  ],
  uncones = [
    [0.9869929, -0.1470543, 0.1599627],
    [0.4323053, 0.5183603, 0.0492912],
    [-0.0085287, 0.0400428, 0.9684867],
  ];

const warmest = 1667,
  coolest = 25000,
  daylight = 6504,
  greener = 0.0032;

function planckian(kelvin) {
  const t = Math.min(Math.max(kelvin, warmest), coolest),
    x =
      t <= 4000
        ? -0.2661239e9 / (t * t * t) - 0.2343589e6 / (t * t) + 0.8776956e3 / t + 0.17991
        : -3.0258469e9 / (t * t * t) + 2.1070379e6 / (t * t) + 0.2226347e3 / t + 0.24039;
  if (t <= 2222) return [x, -1.1063814 * x * x * x - 1.3481102 * x * x + 2.18555832 * x - 0.20219683];
  if (t <= 4000) return [x, -0.9549476 * x * x * x - 1.37418593 * x * x + 2.09137015 * x - 0.16748867];
  return [x, 3.081758 * x * x * x - 5.8733867 * x * x + 3.75112997 * x - 0.37001483];
}

function uv(xy) {
  const [x, y] = xy,
    d = -2 * x + 12 * y + 3;
  return [(4 * x) / d, (6 * y) / d];
}

// white is the white of a colour temperature, so far above the locus of black bodies, as XYZ.
function white(kelvin, off) {
  const [u, v] = uv(planckian(kelvin)),
    [a, b] = uv(planckian(Math.min(kelvin + 1, coolest))),
    [c, d] = uv(planckian(Math.max(kelvin - 1, warmest))),
    n = Math.hypot(a - c, b - d),
    [p, q] = [u + (off * (b - d)) / n, v + (off * (c - a)) / n],
    k = 2 * p - 8 * q + 4,
    [x, y] = [(3 * p) / k, (2 * q) / k];
  return [x / y, 1, (1 - x - y) / y];
}

// balance is the matrix of a white balance by columns, as the graphics card wants it; null where it changes nothing.
export function balance(kelvin, tint) {
  if (kelvin === daylight && tint === 0) return null;
  const from = times(cones, white(kelvin, greener + tint / 1000)),
    to = times(cones, white(daylight, greener)),
    scaled = cones.map((row, i) => row.map((x) => (x * to[i]) / from[i])),
    m = product(toRec709, product(product(uncones, scaled), fromRec709));
  return [0, 1, 2].flatMap((k) => [m[0][k], m[1][k], m[2][k]]);
}

// boxes are how far three boxes go to each side that together are about a Gaussian of a deviation.
export function boxes(deviation) {
  const want = Math.max(deviation * deviation, 0),
    low = Math.floor((Math.sqrt(4 * want + 1) - 1) / 2),
    n = Math.round(((want - low * (low + 1)) * 3) / (2 * (low + 1)));
  return [0, 1, 2].map((i) => low + (i < n ? 1 : 0));
}

// spreads are the three spreads of bloom: in a picture of which part, and by which deviation there.
export function spreads(wide) {
  return [0, 1, 2].map((i) => {
    const deviation = wide / Math.pow(4, i) / 2;
    let k = 1;
    while (deviation / k >= 6) k *= 2;
    return { k, deviation: Math.sqrt(Math.max(deviation * deviation - (k * k - 1) / 3, 0) / (k * k)) };
  });
}

// amounts are by how much a distortion multiplies the ways of the three colours.
export function amounts({ bend, fringe }) {
  return [-1, 0, 1].map((k) => (1 + (fringe * k - Math.abs(fringe)) / 1000) / (1 + Math.max(bend, 0)));
}

// hueAt is where the six hues lie in OKLab, radians.
export const hueAt = [
  [1, 0, 0],
  [1, 1, 0],
  [0, 1, 0],
  [0, 1, 1],
  [0, 0, 1],
  [1, 0, 1],
].map((c) => {
  const [l, m, s] = times(
    [
      [0.4122214708, 0.5363325363, 0.0514459929],
      [0.2119034982, 0.6806995451, 0.1073969566],
      [0.0883024619, 0.2817188376, 0.6299787005],
    ],
    c,
  ).map(Math.cbrt);
  return Math.atan2(
    0.0259040371 * l + 0.7827717662 * m - 0.808675766 * s,
    1.9779984951 * l - 2.428592205 * m + 0.4505937099 * s,
  );
});

// mixed is points.Mix of a 64-bit number in two halves, with the two numbers that points.Pair takes of it.
const [kh, kl] = [0xd6e8feb8, 0x6659fd93];
function mixed(hi, lo) {
  const multiply = () => {
    const a = lo & 0xffff,
      b = lo >>> 16,
      c = kl & 0xffff,
      d = kl >>> 16,
      low = a * c,
      mid = b * c + (low >>> 16),
      rest = a * d + (mid & 0xffff),
      high = b * d + Math.floor(mid / 65536) + Math.floor(rest / 65536);
    hi = (Math.imul(hi, kl) + Math.imul(lo, kh) + high) >>> 0;
    lo = Math.imul(lo, kl) >>> 0;
  };
  lo = (lo ^ hi) >>> 0;
  multiply();
  lo = (lo ^ ((lo >>> 29) | (hi << 3))) >>> 0;
  hi = (hi ^ (hi >>> 29)) >>> 0;
  multiply();
  lo = (lo ^ hi) >>> 0;
  return [(hi >>> 8) / 16777216, (lo >>> 8) / 16777216];
}

// noiseOf is the noise of a grain, four values a pixel of which the first counts.
export function noiseOf({ seed, size }, w, h) {
  const noise = new Float32Array(w * h);
  for (let i = 0; i < noise.length; i++) {
    const [a, b] = mixed(seed >>> 0, i);
    noise[i] = Math.sqrt(-2 * Math.log(1 - a)) * Math.cos(2 * Math.PI * b);
  }
  if (size > 1) {
    for (const r of boxes(size / 2 + 1)) {
      if (r < 1) continue;
      for (let y = 0; y < h; y++) box(noise, y * w, 1, w, r);
      for (let x = 0; x < w; x++) box(noise, x, w, h, r);
    }
    let sum = 0;
    for (const x of noise) sum += x * x;
    const k = 1 / Math.sqrt(Math.max(sum / noise.length, 1e-12));
    for (let i = 0; i < noise.length; i++) noise[i] *= k;
  }
  const out = new Float32Array(4 * noise.length);
  for (let i = 0; i < noise.length; i++) out[4 * i] = noise[i];
  return out;
}

function box(list, from, step, n, r) {
  const line = new Float32Array(n);
  for (let i = 0; i < n; i++) line[i] = list[from + i * step];
  const at = (i) => line[Math.min(Math.max(i, 0), n - 1)];
  let sum = 0;
  for (let i = -r; i <= r; i++) sum += at(i);
  for (let i = 0; i < n; i++) {
    list[from + i * step] = sum / (2 * r + 1);
    sum += at(i + r + 1) - at(i - r);
  }
}
