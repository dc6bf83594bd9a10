// Silhouettes of pieces: asked for when they are first drawn, all that are
// missing at once, and kept until the piece is made anew. Until newer ones are
// here the older are drawn; what did not come is asked for again.
export class Outlines {
  __v_skip = true; // not watched by the page's store

  // ask gets the silhouettes of pieces by their ids, however long that takes; drawn
  // is called when some came.
  constructor(ask, drawn) {
    this.ask = ask;
    this.drawn = drawn;
    this.known = new Map();
    this.missing = new Map();
    this.asked = new Map();
    this.version = 0;
  }

  // of gives { front, top, right } of a piece as SVG paths; null when there are none yet.
  of(p) {
    const key = p?.outline.key;
    if (!key) return null;
    const have = this.known.get(p.id);
    if (have?.key !== key && this.asked.get(p.id) !== key) {
      if (!this.missing.size) queueMicrotask(() => this.fetch());
      this.missing.set(p.id, key);
    }
    return have || null;
  }
  async fetch() {
    const ids = this.missing;
    this.missing = new Map();
    for (const [id, key] of ids) this.asked.set(id, key);
    let got = {};
    try {
      got = (await this.ask([...ids.keys()].join(","))) || {};
    } catch {
      /* refused: it was said; asked again when it changes, or a moment later */
    }
    let absent = false;
    for (const [id, key] of ids) {
      if (this.asked.get(id) === key) this.asked.delete(id);
      if (got[id]) this.known.set(id, { ...got[id], key });
      else {
        absent = true;
        this.asked.set(id, key);
      }
    }
    this.version++;
    this.drawn();
    // What the server had not yet is asked for again, not at once.
    if (absent)
      setTimeout(() => {
        for (const [id, key] of ids) if (!got[id] && this.asked.get(id) === key) this.asked.delete(id);
        this.drawn();
      }, 1000);
  }
}
