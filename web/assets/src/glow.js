// Lamps of the lens view: the strongest where the picture is, without shadows.
import { Color, LinearSRGBColorSpace, PointLight, SpotLight } from "three";

const kept = { ball: [], cone: [] };

const most = 6; // each is worked out for every pixel

// strongest are the lamps of a set that give most to where the camera looks.
export function strongest(st) {
  const v = st.set.view,
    ahead = st.lens.forward,
    far = Math.min(Math.max(v.focus, 2), 30),
    at = ["x", "y", "z"].map((k) => v.eye[k] + ahead[k] * far);
  const lux = (l) =>
    (l.cd.x + l.cd.y + l.cd.z) /
    Math.max((l.at.x - at[0]) ** 2 + (l.at.y - at[1]) ** 2 + (l.at.z - at[2]) ** 2, 0.25);
  const all = (st.elements || []).flatMap((e) => (e.hidden ? [] : e.lit || []));
  return all
    .map((l) => [lux(l), l])
    .sort((a, b) => b[0] - a[0])
    .slice(0, most)
    .map((x) => x[1]);
}

// lampsOf hangs them into a scene.
export function lampsOf(scene, st) {
  const used = { ball: 0, cone: 0 };
  for (const l of strongest(st)) {
    const kind = l.spread < Math.PI / 2 + 1e-3 ? "cone" : "ball",
      lights = kept[kind],
      light = (lights[used[kind]] ||= kind === "cone" ? new SpotLight() : new PointLight());
    used[kind]++;
    const peak = Math.max(l.cd.x, l.cd.y, l.cd.z);
    light.color.copy(new Color().setRGB(l.cd.x / peak, l.cd.y / peak, l.cd.z / peak, LinearSRGBColorSpace));
    light.intensity = peak;
    light.decay = 2;
    light.position.set(l.at.x, l.at.y, l.at.z);
    if (kind === "cone") {
      light.angle = Math.min(l.spread, Math.PI / 2 - 0.01);
      light.penumbra = l.soft;
      light.target.position.set(l.at.x + l.dir.x, l.at.y + l.dir.y, l.at.z + l.dir.z);
      light.target.updateMatrixWorld();
    }
    light.updateMatrixWorld();
    if (light.parent !== scene) scene.add(light);
  }
  for (const kind of ["ball", "cone"]) for (const light of kept[kind].slice(used[kind])) scene.remove(light);
}
