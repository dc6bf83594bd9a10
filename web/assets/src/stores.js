// The stores of the page: what it knows of the set (v), dressing, what is filmed, true sizes, and
// shots with their takes. Each holds what is its own, and names whom it asks.
import Alpine from "alpinejs";

/** @type {Record<"v" | "dress" | "surface" | "film" | "size" | "shoot", any>} */
export const stores = {
  get v() {
    return Alpine.store("v");
  },
  get dress() {
    return Alpine.store("dress");
  },
  get surface() {
    return Alpine.store("surface");
  },
  get film() {
    return Alpine.store("film");
  },
  get size() {
    return Alpine.store("size");
  },
  get shoot() {
    return Alpine.store("shoot");
  },
};
