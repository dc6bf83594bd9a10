// Small pictures of the set, drawn beside the large one and without touching it:
// into a target of their own, toned as the lens view is, and read back.
import {
  HalfFloatType,
  Mesh,
  OrthographicCamera,
  PlaneGeometry,
  Scene,
  ShaderMaterial,
  WebGLRenderTarget,
} from "three";

export class Small {
  constructor(renderer, samples) {
    this.renderer = renderer;
    this.light = new WebGLRenderTarget(4, 4, { type: HalfFloatType, samples });
    this.toned = new WebGLRenderTarget(4, 4);
    this.material = new ShaderMaterial({
      depthTest: false,
      depthWrite: false,
      uniforms: { picture: { value: this.light.texture }, toneMappingExposure: { value: 1 } },
      vertexShader: "varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }",
      fragmentShader:
        "#include <tonemapping_pars_fragment>\nuniform sampler2D picture; varying vec2 at; void main() { " +
        "vec3 c = NeutralToneMapping(clamp(texture2D(picture, at).rgb, 0.0, 60000.0)); " +
        "gl_FragColor = sRGBTransferOETF(vec4(c, 1.0)); }",
    });
    this.scene = new Scene();
    this.scene.add(new Mesh(new PlaneGeometry(2, 2), this.material));
    this.flat = new OrthographicCamera(-1, 1, 1, -1, 0, 1);
  }
  // draw gives a picture of a scene as ImageData. The scene and the camera are free again
  // at once; the page does not wait until it is drawn.
  async draw(scene, camera, w, h, exposure) {
    this.light.setSize(w, h);
    this.toned.setSize(w, h);
    this.material.uniforms.toneMappingExposure.value = exposure;
    this.renderer.setRenderTarget(this.light);
    this.renderer.render(scene, camera);
    this.renderer.setRenderTarget(this.toned);
    this.renderer.render(this.scene, this.flat);
    const rows = new Uint8Array(4 * w * h),
      out = new ImageData(w, h);
    this.renderer.setRenderTarget(null);
    await this.renderer.readRenderTargetPixelsAsync(this.toned, 0, 0, w, h, rows);
    // Rows come from below.
    for (let y = 0; y < h; y++) out.data.set(rows.subarray(4 * w * (h - 1 - y), 4 * w * (h - y)), 4 * w * y);
    return out;
  }
}
