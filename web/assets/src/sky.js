// What lights the lens view: the sky's picture as the server sends it, as far
// as half floats go, and its light for each roughness.
import { ClampToEdgeWrapping, DataTexture, EquirectangularReflectionMapping, FloatType, LinearFilter, PMREMGenerator, RepeatWrapping, RGBAFormat } from "three";

// three.js filters a sky over cube faces of 256 pixels: 37 million samples, which
// take seconds without a graphics card, anew for each change of the sun. Faces of
// 64 take 7 million; what shines like a mirror shows the sky coarser.
class Coarse extends PMREMGenerator {
  _setSize() { this._cubeSize = 64; }
}

export class Sky {
  constructor(renderer, plain) {
    this.filter = plain ? new Coarse(renderer) : new PMREMGenerator(renderer);
  }
  // take replaces what it showed by the picture in raw: its width and height, then
  // its rows from above, three floats a pixel. How often brighter it is than what
  // the texture holds is in scale, since half floats end at 65504.
  take(raw) {
    const [w, h] = new Uint32Array(raw, 0, 2), rgb = new Float32Array(raw, 8), rgba = new Float32Array(w * h * 4);
    let peak = 1e-9;
    for (const x of rgb) peak = Math.max(peak, Math.min(x, 6e7));
    const k = 1000 / peak;
    for (let y = 0; y < h; y++) for (let x = 0; x < w; x++) for (let c = 0; c < 4; c++) // rows from below
      rgba[((h - 1 - y) * w + x) * 4 + c] = c === 3 ? 1 : Math.min(rgb[(y * w + x) * 3 + c] * k, 1000);
    const t = new DataTexture(rgba, w, h, RGBAFormat, FloatType);
    t.mapping = EquirectangularReflectionMapping; t.minFilter = t.magFilter = LinearFilter; t.wrapS = RepeatWrapping; t.wrapT = ClampToEdgeWrapping; t.needsUpdate = true;
    this.picture?.dispose();
    this.picture = t;
    this.light = this.filter.fromEquirectangular(t, this.light);
    this.scale = 1 / k;
  }
}
