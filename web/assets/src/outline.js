// Silhouettes of pieces: asked for when they are first drawn, all that are
// missing at once, and kept until the piece is made anew. Until newer ones are
// here the older are drawn.
export class Outlines {
  __v_skip = true; // not watched by the page's store

  // ask gets the silhouettes of pieces by their ids; drawn is called when some came.
  constructor(ask, drawn) { this.ask = ask; this.drawn = drawn; this.known = new Map(); this.missing = new Map(); this.version = 0; }

  // of gives { front, top, right } of a piece as SVG paths; null when there are none yet.
  of(p) {
    const key = p?.outline.key;
    if (!key) return null;
    const have = this.known.get(p.id);
    if (have?.asked !== key) {
      if (!this.missing.size) queueMicrotask(() => this.fetch());
      this.missing.set(p.id, key);
    }
    return have || null;
  }
  async fetch() {
    const ids = this.missing;
    this.missing = new Map();
    // What does not come is not asked for again before it changes.
    for (const [id, key] of ids) this.known.set(id, { front: "", top: "", right: "", ...this.known.get(id), asked: key });
    const got = await this.ask([...ids.keys()].join(","));
    for (const id in got) this.known.set(id, { ...got[id], asked: ids.get(id) });
    this.version++;
    this.drawn();
  }
}
