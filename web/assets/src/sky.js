// What lights the lens view: the sky's picture as the server sends it, as far
// as half floats go, and its light for each roughness.
import {
  ClampToEdgeWrapping,
  DataTexture,
  EquirectangularReflectionMapping,
  FloatType,
  LightProbe,
  LinearFilter,
  PMREMGenerator,
  RepeatWrapping,
  RGBAFormat,
  SphericalHarmonics3,
  Vector3,
} from "three";

// Without a graphics card the sky lights by nine numbers for each colour, which is what
// lies on matt things to a few hundredths (Ramamoorthi and Hanrahan, An Efficient
// Representation for Irradiance Environment Maps, 2001); nothing mirrors it then.
export class Sky {
  constructor(renderer, plain) {
    if (plain) this.probe = new LightProbe();
    else this.filter = new PMREMGenerator(renderer);
  }
  // take replaces what it showed by the picture in raw: its width and height, then
  // its rows from above, three floats a pixel. How often brighter it is than what
  // the texture holds is in scale, since half floats end at 65504.
  // behind, if it is given, is what is seen in its place, and lights nothing.
  take(raw, behind) {
    const seen = pictured(raw);
    this.picture?.dispose();
    if (this.behind !== this.picture) this.behind?.dispose();
    this.picture = seen.texture;
    this.scale = seen.scale;
    const other = behind ? pictured(behind) : seen;
    this.behind = other.texture;
    this.behindScale = other.scale;
    if (this.filter) this.light = this.filter.fromEquirectangular(seen.texture, this.light);
    else this.gather(seen.rgb, seen.w, seen.h);
  }
  // gather sums the sky up: row by row from above, u = 0.5 at -Z.
  gather(rgb, w, h) {
    const sh = this.probe.sh.coefficients,
      basis = new Array(9),
      d = new Vector3();
    for (const c of sh) c.set(0, 0, 0);
    for (let y = 0; y < h; y++) {
      const up = (Math.PI * (y + 0.5)) / h,
        share = (2 * Math.PI * Math.PI * Math.sin(up)) / (w * h); // steradians
      for (let x = 0; x < w; x++) {
        const a = 2 * Math.PI * ((x + 0.5) / w - 0.5),
          i = 3 * (y * w + x);
        SphericalHarmonics3.getBasisAt(
          d.set(Math.sin(up) * Math.sin(a), Math.cos(up), -Math.sin(up) * Math.cos(a)),
          basis,
        );
        for (let n = 0; n < 9; n++) {
          const k = basis[n] * share;
          sh[n].x += rgb[i] * k;
          sh[n].y += rgb[i + 1] * k;
          sh[n].z += rgb[i + 2] * k;
        }
      }
    }
  }
}

// pictured is a picture all around as a texture.
function pictured(raw) {
  const [w, h] = new Uint32Array(raw, 0, 2),
    rgb = new Float32Array(raw, 8),
    rgba = new Float32Array(w * h * 4);
  let peak = 1e-9;
  for (const x of rgb) peak = Math.max(peak, Math.min(x, 6e7));
  const k = 1000 / peak;
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++)
      for (let c = 0; c < 4; c++)
        // rows from below
        rgba[((h - 1 - y) * w + x) * 4 + c] = c === 3 ? 1 : Math.min(rgb[(y * w + x) * 3 + c] * k, 1000);
  const t = new DataTexture(rgba, w, h, RGBAFormat, FloatType);
  t.mapping = EquirectangularReflectionMapping;
  t.minFilter = t.magFilter = LinearFilter;
  t.wrapS = RepeatWrapping;
  t.wrapT = ClampToEdgeWrapping;
  t.needsUpdate = true;
  return { texture: t, scale: 1 / k, rgb, w, h };
}
