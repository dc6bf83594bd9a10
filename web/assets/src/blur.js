// The blur of the lens: the picture is drawn with its depth, and every point
// spread over the disk that the lens makes of it.
import {
  DepthTexture,
  FloatType,
  HalfFloatType,
  Mesh,
  OrthographicCamera,
  PlaneGeometry,
  Scene,
  ShaderMaterial,
  UnsignedIntType,
  Vector2,
  WebGLRenderTarget,
} from "three";
import { drawn } from "./otherwise.js";

const taps = 40;

export class Blur {
  constructor(renderer, samples) {
    this.renderer = renderer;
    this.light = /** @type {any} */ (null); // what is drawn, as light, for whoever wants it so
    this.target = new WebGLRenderTarget(4, 4, { type: HalfFloatType, samples });
    this.target.depthTexture = new DepthTexture(4, 4, UnsignedIntType);
    this.material = new ShaderMaterial({
      depthTest: false,
      depthWrite: false,
      uniforms: {
        picture: { value: this.target.texture },
        depths: { value: this.target.depthTexture },
        near: { value: 0.1 },
        far: { value: 100 },
        focus: { value: 1 },
        reach: { value: 0 },
        size: { value: new Vector2() },
        squeeze: { value: 1 },
      },
      vertexShader: "varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }",
      // reach is the radius in pixels of a point infinitely far away; another one
      // has |z-s|/z of it.
      fragmentShader: `
        uniform sampler2D picture, depths; uniform float near, far, focus, reach, squeeze;
        uniform vec2 size; varying vec2 at;
        float metres(vec2 p) { float d = texture2D(depths, p).x; return near * far / (far - d * (far - near)); }
        float disk(float z) { return min(abs(z - focus) / z * reach, 48.0); }
        // What shines may be more than a half float holds.
        vec4 seen(vec2 p) { return clamp(texture2D(picture, p), 0.0, 60000.0); }
        void main() {
          float z = metres(at), mine = disk(z), most = min(max(mine, reach), 48.0);
          vec4 sum = seen(at); float n = 1.0;
          if (most > 0.6) for (int i = 1; i <= ${taps}; i++) {
            float r = sqrt(float(i) / float(${taps})) * most, a = float(i) * 2.39996323;
            vec2 p = at + vec2(cos(a) / squeeze, sin(a)) * r / size;
            float y = metres(p), theirs = disk(y);
            // What lies behind spreads over here only as far as here is blurred.
            float spread = y > z ? min(theirs, mine) : theirs, w = smoothstep(r - 1.0, r + 1.0, spread + 0.5);
            sum += seen(p) * w; n += w;
          }
          gl_FragColor = sum / n;
          #include <tonemapping_fragment>
          #include <colorspace_fragment>
        }`,
    });
    this.scene = new Scene();
    this.scene.add(new Mesh(new PlaneGeometry(2, 2), this.material));
    this.flat = new OrthographicCamera(-1, 1, 1, -1, 0, 1);
  }
  // ready makes ready what a scene is drawn with, by a picture of some pixels that nobody
  // sees.
  ready(scene, camera) {
    this.target.setSize(32, 18);
    this.renderer.setRenderTarget(this.target);
    this.renderer.render(scene, camera);
    this.renderer.setRenderTarget(null);
  }
  // render draws a scene; pixels is how wide the frame is, view the lens, spread whether
  // what is out of focus is spread.
  render(scene, camera, w, h, pixels, view, wide, spread = true) {
    this.part(scene, camera, w, h, 0, 1);
    this.finish(w, h, pixels, view, wide, spread);
  }
  // part draws one of some bands of a scene, from below.
  part(scene, camera, w, h, band, bands) {
    const t = this.target,
      low = Math.floor((h * band) / bands);
    t.setSize(w, h);
    t.scissorTest = bands > 1;
    t.scissor.set(0, low, w, Math.ceil((h * (band + 1)) / bands) - low);
    this.renderer.setRenderTarget(t);
    drawn(this.renderer, scene, camera);
    this.renderer.setRenderTarget(null);
    t.scissorTest = false;
  }
  // finish makes the picture of what was drawn; what is given as through gets it as light, and shows it.
  finish(w, h, pixels, view, wide, spread, through) {
    const u = this.material.uniforms,
      f = view.focal;
    u.size.value.set(w, h);
    u.near.value = view.near;
    u.far.value = view.far;
    u.focus.value = view.focus;
    u.squeeze.value = view.squeeze || 1;
    // Half of f/N · f/(s-f), over a sensor that is wide mm across.
    u.reach.value = !spread
      ? 0
      : (((f / view.fNumber) * (f / 1000)) / Math.max(view.focus - f / 1000, 1e-6) / 2 / wide) * pixels;
    if (!through) {
      this.renderer.render(this.scene, this.flat);
      return;
    }
    this.light ||= new WebGLRenderTarget(4, 4, { type: FloatType, depthBuffer: false });
    this.light.setSize(w, h);
    this.renderer.setRenderTarget(this.light);
    this.renderer.render(this.scene, this.flat);
    this.renderer.setRenderTarget(null);
    through(this.light.texture);
  }
}
