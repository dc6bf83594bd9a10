// Herds: many things of the same shape and surface are drawn at once, those that the camera sees.
import { DynamicDrawUsage, Frustum, InstancedMesh, Matrix4, Sphere } from "three";

// least is from how many on that is worth it: fewer are drawn one by one, by what they are drawn with already.
const least = 16;

export class Herds {
  constructor(scene) {
    this.scene = scene;
    this.known = new Map(); // by shape, surface and how it takes shadows
    this.stale = true; // something came, went or was moved since it was gathered
  }
  // gather brings together what is placed as it stands now; what the hand carries and what rides moves by itself.
  gather(placed, riding) {
    if (!this.stale) return;
    this.stale = false;
    const by = new Map();
    for (const it of placed.values()) {
      if (it.group.parent !== this.scene || !it.stands) continue;
      const alone = it.carried || riding?.includes(it.id);
      it.group.traverse((o) => {
        if (!o.isMesh || o.isInstancedMesh) return;
        o.visible = true;
        if (alone || Array.isArray(o.material) || o.material.transparent || o.userData.own || o.isSkinnedMesh) return;
        const key = `${o.geometry.id} ${o.material.id} ${o.castShadow} ${o.receiveShadow}`;
        if (!by.has(key)) by.set(key, []);
        by.get(key).push(o);
      });
    }
    for (const [key, h] of this.known)
      if ((by.get(key)?.length || 0) < least || h.room < by.get(key).length) {
        this.scene.remove(h.all);
        h.all.dispose();
        this.known.delete(key);
      }
    if (![...by.values()].some((l) => l.length >= least)) return;
    this.scene.updateMatrixWorld();
    for (const [key, list] of by) {
      if (list.length < least) continue;
      for (const o of list) o.visible = false;
      if (!this.known.has(key)) this.known.set(key, this.made(list));
      this.known.get(key).list = list;
    }
  }
  made([first, ...rest]) {
    const room = Math.ceil((rest.length + 1) * 1.25),
      all = new InstancedMesh(first.geometry, first.material, room);
    all.instanceMatrix.setUsage(DynamicDrawUsage);
    all.castShadow = first.castShadow;
    all.receiveShadow = first.receiveShadow;
    all.frustumCulled = false;
    all.userData.id = " herd"; // no thing: it is not to be taken by the hand
    all.matrixAutoUpdate = false;
    all.raycast = () => {};
    if (!first.geometry.boundingSphere) first.geometry.computeBoundingSphere();
    this.scene.add(all);
    return { all, room, list: [] };
  }
  // see leaves of each herd what a camera sees; of what throws shadows all, since those fall into the picture.
  see(camera) {
    if (!this.known.size) return;
    const sees = new Frustum().setFromProjectionMatrix(
        new Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse),
      ),
      about = new Sphere();
    for (const { all, list } of this.known.values()) {
      let n = 0;
      for (const o of list) {
        about.copy(o.geometry.boundingSphere).applyMatrix4(o.matrixWorld);
        if (!all.castShadow && !sees.intersectsSphere(about)) continue;
        o.matrixWorld.toArray(all.instanceMatrix.array, 16 * n++);
      }
      all.count = n;
      all.visible = n > 0;
      all.instanceMatrix.needsUpdate = true;
    }
  }
}
