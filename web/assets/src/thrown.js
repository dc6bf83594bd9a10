// Pictures that are thrown from a camera, in the lens view: where each place of a surface lies in them is worked out as
// it is drawn, as core/model's Throw has it.
import { ShaderChunk, Vector3, Vector4 } from "three";

// What looks pictures up by coordinates: of all of them those of the throw are taken.
const lookups = [
    "map_fragment",
    "roughnessmap_fragment",
    "metalnessmap_fragment",
    "emissivemap_fragment",
    "normal_fragment_begin",
    "normal_fragment_maps",
  ],
  vector = (v) => new Vector3(v.x, v.y, v.z);

// throwOnto makes a material show its pictures as a camera throws them.
export function throwOnto(m, t) {
  m.customProgramCacheKey = () => "thrown";
  m.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, {
      throwFrom: { value: vector(t.from) },
      throwRight: { value: vector(t.right) },
      throwUp: { value: vector(t.up) },
      throwSize: { value: new Vector4(t.wide, t.high, t.midX, t.midY) },
    });
    shader.vertexShader = shader.vertexShader
      .replace("void main() {", "varying vec3 vThrown;\nvoid main() {")
      .replace(
        "#include <project_vertex>",
        `#include <project_vertex>
        vec4 throwAt = vec4(transformed, 1.0);
        #ifdef USE_INSTANCING
        throwAt = instanceMatrix * throwAt;
        #endif
        vThrown = (modelMatrix * throwAt).xyz;`,
      );
    shader.fragmentShader = shader.fragmentShader.replace(
      "void main() {",
      `varying vec3 vThrown;
      uniform vec3 throwFrom, throwRight, throwUp;
      uniform vec4 throwSize;
      uniform mat3 mapTransform;
      void main() {
        vec3 throwD = vThrown - throwFrom;
        float throwFar = max(abs(dot(throwD, cross(throwUp, throwRight))), 1e-6);
        vec2 thrownUv = vec2(0.5 + (dot(throwD, throwRight) / throwFar - throwSize.z) / throwSize.x,
          0.5 - (dot(throwD, throwUp) / throwFar - throwSize.w) / throwSize.y);
        thrownUv = (mapTransform * vec3(thrownUv, 1.0)).xy;`,
    );
    for (const name of lookups)
      shader.fragmentShader = shader.fragmentShader.replace(
        `#include <${name}>`,
        ShaderChunk[name].replace(/v(Map|RoughnessMap|MetalnessMap|EmissiveMap|NormalMap)Uv/g, "thrownUv"),
      );
  };
}

// throwOf is how a view throws pictures: by its world, columns first, and the window of its frame a metre before it.
export function throwOf(world, window) {
  const at = (k) => ({ x: world[4 * k], y: world[4 * k + 1], z: world[4 * k + 2] });
  return {
    from: at(3),
    right: at(0),
    up: at(1),
    wide: window.right - window.left,
    high: window.top - window.bottom,
    midX: (window.right + window.left) / 2,
    midY: (window.top + window.bottom) / 2,
  };
}
