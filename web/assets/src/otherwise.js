// Other ways to look at the lens view for a moment.
import { MeshBasicMaterial, MeshLambertMaterial } from "three";

export const ways = [
  ["", "as it is"],
  ["edges", "with edges"],
  ["clay", "clay"],
  ["sky", "without background"],
  ["air", "without air"],
  ["lamps", "without lamps"],
  ["finish", "without its finish"],
];

let clay, edges;
// otherwise gives a scene what is drawn in the place of its own surfaces; scale is its exposure.
export function otherwise(scene, way, scale) {
  if (way === "clay") clay ||= new MeshLambertMaterial({ color: 0x8c8984 }); // a quarter of the light
  if (way === "edges") {
    edges ||= new MeshBasicMaterial({ wireframe: true, fog: false, polygonOffset: true,
      polygonOffsetFactor: -1, polygonOffsetUnits: -4 });
    edges.color.setScalar(0.6 / scale); // as bright at any exposure
  }
  scene.overrideMaterial = way === "clay" ? clay : null;
  over = way === "edges" ? edges : null;
}
let over = null;

// drawn draws a scene as it is looked at: edges lie over it, so that clear glass and what pokes through is seen.
export function drawn(renderer, scene, camera) {
  renderer.render(scene, camera);
  if (!over) return;
  const { background } = scene;
  scene.background = null;
  scene.overrideMaterial = over;
  renderer.autoClear = false;
  renderer.render(scene, camera);
  renderer.autoClear = true;
  scene.overrideMaterial = null;
  scene.background = background;
}
