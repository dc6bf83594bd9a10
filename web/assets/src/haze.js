// The air of the lens view: what it takes and gives along the way to each point, by the same layers as the renderer has
// (core/air), before the picture is toned.
import { Color, Fog, LinearSRGBColorSpace, Matrix4, ShaderChunk, ShaderLib, Vector3, Vector4 } from "three";

const lit = ["standard", "physical", "lambert", "basic", "phong", "points"];
// Of three layers what a metre takes at its base, over how many metres it thins to 1/e, and its base.
const layers = [0, 1, 2].map(() => new Vector4(0, 1, 0, 0));

const sunned = new Color(),
  albedo = new Color(1, 1, 1),
  to = new Vector3(0, 1, 0);

let patched = false;
function patch() {
  if (patched) return;
  patched = true;
  ShaderChunk.fog_pars_vertex = `#ifdef USE_FOG
    varying vec3 vFogWay;
  #endif`;
  ShaderChunk.fog_vertex = `#ifdef USE_FOG
    vFogWay = transpose(mat3(viewMatrix)) * mvPosition.xyz;
  #endif`;
  ShaderChunk.fog_pars_fragment = `#ifdef USE_FOG
    uniform vec3 fogColor;
    uniform float fogNear, fogFar;
    uniform vec4 airHaze, airFog, airFall;
    varying vec3 vFogWay;
    uniform vec3 airSun, airTo;
    uniform float airMean;
    uniform vec3 airAlbedo;
    uniform mat4 airShadow;
    // airDepth is core/air's Part.layer times its extinction, for a way that ends.
    float airDepth(vec4 a, float y, float up, float far) {
      if (a.x <= 0.0) return 0.0;
      float top = y + up * far, lo = max(min(y, top), 0.0), hi = max(max(y, top), 0.0);
      float rise = abs(up) * far, below = rise > 1e-6 ? clamp(-min(y, top) / rise, 0.0, 1.0) : (y <= 0.0 ? 1.0 : 0.0);
      float x = (hi - lo) / a.y;
      float mean = x > 1e-3 ? (1.0 - exp(-x)) / x : 1.0 - 0.5 * x;
      return a.x * far * (below + (1.0 - below) * exp(-lo / a.y) * mean);
    }
    // airDepthOf is what all of it takes along a way from the eye.
    float airDepthOf(float up, float far) {
      return airDepth(airHaze, cameraPosition.y - airHaze.z, up, far) +
        airDepth(airFog, cameraPosition.y - airFog.z, up, far) +
        airDepth(airFall, cameraPosition.y - airFall.z, up, far);
    }
    float airSigma(vec4 a, float y) { return a.x * exp(-max(y, 0.0) / a.y); }
    // airHalo is core/air's Halo of a lamp at a place of the view, but for what is scattered: d and far are the way
    // there, w the same in the set, depth what all of it takes.
    float airHalo(vec3 d, vec3 w, float far, float depth, vec3 at) {
      float t = dot(at, d), h = max(length(at - d * t), 0.05), near = clamp(t, 0.0, far);
      float y = cameraPosition.y + w.y * near / max(far, 1e-6);
      float sigma = airSigma(airHaze, y - airHaze.z) + airSigma(airFog, y - airFog.z) +
        airSigma(airFall, y - airFall.z);
      return sigma * exp(-depth * near / max(far, 1e-6)) * (atan(t / h) + atan((far - t) / h)) / h;
    }
    // airPart is where light from a lamp meets the way in the middle of a sixth of the halo's angle, as seen from the
    // lamp, and airPhase what of it is scattered to the eye.
    vec3 airPart(vec3 d, float far, vec3 to, int k) {
      float t = dot(to, d), h = max(length(to - d * t), 0.05);
      return normalize(d * (t + h * tan(mix(-atan(t / h), atan((far - t) / h), (float(k) + 0.5) / 6.0))) - to);
    }
    float airPhase(float ahead) {
      float g = airMean, b = 1.0 + g * g - 2.0 * g * ahead;
      return (1.0 - g * g) / (4.0 * PI * b * sqrt(max(b, 1e-6)));
    }
  #endif`;
  ShaderChunk.tonemapping_fragment =
    `#ifdef USE_FOG
    {
      float far = length(vFogWay), up = vFogWay.y / max(far, 1e-6);
      float depth = airDepthOf(up, far);
      float g = airMean;
      vec3 sky = fogColor;
      #ifdef AMBIENT_GRIDS
      if (ambientTimes > 0.0) {
        // What fills the set, looked for in four parts of the way, each by the share of what is seen that is scattered
        // there: about lit things the air is brighter than far off.
        vec3 d = vFogWay / max(far, 1e-6), filled = vec3(0.0);
        float begins = 0.0, left = 1.0, seen = 1.0 - exp(-depth);
        for (int i = 0; i < 4; i++) {
          float ends = i == 3 ? far : min(far, 6.0 * pow(4.0, float(i)));
          float leaves = i == 3 ? exp(-depth) : exp(-airDepthOf(up, ends));
          if (left > leaves) {
            vec3 even;
            mat3 slope;
            ambientAt(cameraPosition + d * (begins > 0.0 ? sqrt(begins * min(ends, 16.0 * begins)) : 0.5 * ends),
              vec3(0.0), even, slope);
            filled += (left - leaves) * max(even + g * (d * slope), vec3(0.0));
          }
          begins = ends;
          left = leaves;
        }
        if (seen > 1e-6) sky = filled / seen * airAlbedo;
      }
      #endif
      float open = 1.0;
      #if defined(AMBIENT_GRIDS) && defined(USE_SHADOWMAP) && NUM_DIR_LIGHT_SHADOWS > 0 && defined(SHADOWMAP_TYPE_PCF)
      // What throws shadows throws them through the air: looked for where each sixth of what is scattered comes from.
      open = 0.0;
      for (int i = 0; i < 6; i++) {
        float u = (float(i) + 0.5) / 6.0;
        float t = depth > 1e-3 ? -log(1.0 - u * (1.0 - exp(-depth))) / depth : u;
        vec4 s = airShadow * vec4(cameraPosition + vFogWay * t, 1.0);
        vec3 q = s.xyz / s.w;
        bool told = all(greaterThan(q, vec3(0.0))) && all(lessThan(q, vec3(1.0)));
        open += told ? texture(directionalShadowMap[0], q) : 1.0;
      }
      open /= 6.0;
      #endif
      vec3 glow = sky + open * airSun * airPhase(dot(vFogWay / max(far, 1e-6), airTo));
      gl_FragColor.rgb = mix(glow, gl_FragColor.rgb, exp(-depth));
      #ifdef AMBIENT_GRIDS
      // The halos of lamps: core/air's Halo.
      vec3 haloD = mat3(viewMatrix) * vFogWay / max(far, 1e-6), halo = vec3(0.0);
      #if NUM_POINT_LIGHTS > 0
      mat3 haloTurned = transpose(mat3(viewMatrix));
      for (int i = 0; i < NUM_POINT_LIGHTS; i++) {
        vec3 to = pointLights[i].position;
        float past = 0.0;
        for (int k = 0; k < 6; k++) {
          vec3 way = airPart(haloD, far, to, k);
          past += openTo(i, haloTurned * way) * airPhase(dot(way, -haloD)) / 6.0;
        }
        halo += pointLights[i].color * past * airHalo(haloD, vFogWay, far, depth, to);
      }
      #endif
      #if NUM_SPOT_LIGHTS > 0
      for (int i = 0; i < NUM_SPOT_LIGHTS; i++) {
        vec3 to = spotLights[i].position;
        float cone = 0.0;
        for (int k = 0; k < 6; k++) {
          vec3 way = airPart(haloD, far, to, k);
          cone += getSpotAttenuation(spotLights[i].coneCos, spotLights[i].penumbraCos,
            dot(-way, spotLights[i].direction)) * airPhase(dot(way, -haloD)) / 6.0;
        }
        halo += spotLights[i].color * cone * airHalo(haloD, vFogWay, far, depth, to);
      }
      #endif
      gl_FragColor.rgb += halo * airAlbedo;
      #endif
    }
  #endif
  ` + ShaderChunk.tonemapping_fragment;
  ShaderChunk.fog_fragment = "";
  // A cone fades out as glTF has it (KHR_lights_punctual).
  ShaderChunk.lights_pars_begin = ShaderChunk.lights_pars_begin.replace(
    "return smoothstep( coneCosine, penumbraCosine, angleCosine );",
    "float f = clamp((angleCosine - coneCosine) / max(penumbraCosine - coneCosine, 0.001), 0.0, 1.0); return f * f;",
  );
  // The sun comes through the air to what it lights.
  ShaderChunk.lights_fragment_begin = ShaderChunk.lights_fragment_begin.replace(
    "getDirectionalLightInfo( directionalLight, directLight );",
    `getDirectionalLightInfo( directionalLight, directLight );
    #ifdef USE_FOG
    {
      float y = cameraPosition.y + vFogWay.y, up = max(airTo.y, 0.01), far = 1e5;
      directLight.color *= exp(-airDepth(airHaze, y - airHaze.z, up, far) - airDepth(airFog, y - airFog.z, up, far) -
        airDepth(airFall, y - airFall.z, up, far));
    }
    #endif`,
  );
  // The shaders were put together when three was loaded: what is included is found when each is made ready.
  for (const name of lit) {
    const u = ShaderLib[name].uniforms;
    u.airHaze = { value: layers[0] };
    u.airFog = { value: layers[1] };
    u.airFall = { value: layers[2] };
    u.airSun = { value: sunned };
    u.airTo = { value: to };
    u.airMean = { value: 0 };
    u.airAlbedo = { value: albedo };
    u.airShadow = { value: new Matrix4() };
  }
}

// airOf gives a scene the air that the server tells; clear air takes nothing to draw.
export function airOf(scene, renderer, air, toSun) {
  patch();
  const list = air?.layers || [];
  for (const [i, l] of layers.entries()) {
    const [takes, thins, base] = list[i] || [0, 1, 0];
    l.set(takes, thins, base, 0);
  }
  scene.fog = list.length ? scene.fog || new Fog(new Color(), 0, 1) : null;
  if (!scene.fog) return;
  sunned.setRGB(air.sun.x, air.sun.y, air.sun.z, LinearSRGBColorSpace);
  albedo.setRGB(air.albedo.x, air.albedo.y, air.albedo.z, LinearSRGBColorSpace);
  to.set(toSun.x, toSun.y, toSun.z);
  // Numbers are copied when a material is made ready, others are shared: what is made ready later begins with this one.
  for (const name of lit) ShaderLib[name].uniforms.airMean.value = air.mean;
  scene.fog.color.setRGB(air.glow.x, air.glow.y, air.glow.z, LinearSRGBColorSpace);
  scene.traverse((o) => {
    for (const m of [o.material].flat()) {
      const u = m && renderer.properties.get(m).uniforms;
      if (!u?.airHaze) continue;
      u.airHaze.value.copy(layers[0]);
      u.airFog.value.copy(layers[1]);
      u.airFall.value.copy(layers[2]);
      u.airSun.value.copy(sunned);
      u.airTo.value.copy(to);
      u.airMean.value = air.mean;
      u.airAlbedo.value.copy(albedo);
    }
  });
}
