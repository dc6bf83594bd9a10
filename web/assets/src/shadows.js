// Shadows in the lens view: of the sun near what is looked at, and of the strongest lamps. They take a graphics card,
// or patience: without one they are drawn only where that is asked for.
import { Vector3 } from "three";
import { stores } from "./stores.js";

// fully says whether shadows and bounced light are drawn.
export const fully = (plain) => (localStorage.fullLight ? localStorage.fullLight === "yes" : !plain);

const half = 40; // metres about what is looked at that the sun's shadows are drawn for
const high = 300; // that far towards the sun what throws them is looked for

// shadowed has a light throw shadows, told on a square of so many pixels.
export function shadowed(light, pixels) {
  light.castShadow = true;
  light.shadow.mapSize.set(pixels, pixels);
  light.shadow.normalBias = 0.03;
  light.shadow.bias = -0.0002;
  if (light.decay) {
    // of a lamp: from within its glass, as far as it is seen to light
    light.shadow.camera.near = 0.05;
    light.shadow.camera.far = 60;
  }
}

// overSun brings the sun's shadows to what a view looks at.
export function overSun(sun, st) {
  if (!sun.castShadow) return;
  const v = st.set.view,
    to = new Vector3(st.lightNow.toSun.x, st.lightNow.toSun.y, st.lightNow.toSun.z),
    ahead = new Vector3(st.lens.forward.x, st.lens.forward.y, st.lens.forward.z);
  sun.target.position.set(v.eye.x, v.eye.y, v.eye.z).addScaledVector(ahead, half * 0.7);
  sun.position.copy(sun.target.position).addScaledVector(to, high);
  const c = sun.shadow.camera;
  c.left = c.bottom = -half;
  c.right = c.top = half;
  c.near = 1;
  c.far = high + 3 * half;
  c.updateProjectionMatrix();
  // As soft as a sun of that size makes them a few metres away.
  sun.shadow.radius = Math.min(Math.max((3 * st.set.light.size * sun.shadow.mapSize.x) / (2 * half), 1), 8);
}

// throwers are the things that throw shadows and take them.
export function throwers(group, full) {
  group.traverse((o) => {
    if (!o.isMesh) return;
    const clear = [o.material].flat().some((m) => (m?.transparent && !m.alphaTest) || m?.transmission > 0);
    o.castShadow = full && !clear;
    o.receiveShadow = full;
  });
}

// allLight is whether the lens view draws all of the light, and lets it be chosen: it begins anew then.
export const allLight = {
  get fullLight() {
    return Boolean(stores.v.lens?.full);
  },
  fullLightTo(on) {
    localStorage.fullLight = on ? "yes" : "no";
    location.reload();
  },
  ambientSaid: "",
  get lightSaid() {
    if (!this.fullLight) return "left out, for they take a graphics card: the true view (t) has them";
    return this.ambientSaid;
  },
};
