// The lens view's small pictures: this place through each lens, and shots that have no take yet.
import { stores } from "./stores.js";

export const pictured = (View) =>
  class extends View {
    // small draws a view into a canvas.
    async small(canvas, win, view, world, exposure = this.renderer.toneMappingExposure) {
      const c = this.camera,
        kept = c.matrix.clone(),
        w = canvas.width,
        h = canvas.height;
      c.matrix.fromArray(world);
      c.matrixWorld.copy(c.matrix);
      c.matrixWorldInverse.copy(c.matrix).invert();
      const a = view.aspect,
        wide = Math.max(1, w / h / a),
        tall = Math.max(1, (h / w) * a);
      this.through(win, view, wide, tall);
      const drawn = this.smalls.draw(this.scene, c, w, h, exposure);
      c.matrix.copy(kept);
      c.matrixWorld.copy(kept);
      c.matrixWorldInverse.copy(kept).invert();
      const ctx = canvas.getContext("2d");
      ctx.putImageData(await drawn, 0, 0);
      if (wide > 1.001 || tall > 1.001) {
        ctx.fillStyle = "#161616";
        const iw = w / wide,
          ih = h / tall;
        ctx.fillRect(0, 0, (w - iw) / 2, h);
        ctx.fillRect((w + iw) / 2, 0, w, h);
        ctx.fillRect(0, 0, w, (h - ih) / 2);
        ctx.fillRect(0, (h + ih) / 2, w, h);
      }
    }
    // rowSoon draws the row of lenses when the hand rests: this place through each
    // of them, or what is in focus at the same size.
    rowSoon(wait = 500) {
      clearTimeout(this.rowLater);
      this.rowLater = setTimeout(() => this.row(), wait);
    }
    async row() {
      const here = () => this.v.on("frame") && stores.film.tab === "lens" && !stores.film.playing;
      if (!this.viewNow || !here() || this.canvas.width < 100) return;
      if (this.v.coming) return; // it is drawn when all is there
      const st = this.v.now,
        v = st.set.view,
        win = st.lens.window,
        world = st.lens.world,
        f = st.lens.forward;
      const key = JSON.stringify([
        v.eye,
        v.yaw,
        v.pitch,
        v.roll,
        v.focal,
        v.aspect,
        v.near,
        v.far,
        v.ev,
        win,
        stores.film.keepSize,
        stores.film.keepSize && v.focus,
        st.revision,
        this.came,
      ]);
      if (key === this.rowKey) return; // it is drawn, or being drawn
      const away = (canvas) => Math.abs(Math.log(canvas.dataset.lensPicture / v.focal));
      const canvases = /** @type {NodeListOf<HTMLCanvasElement>} */ (
        document.querySelectorAll("[data-lens-picture]")
      );
      const all = [...canvases].sort((a, b) => away(a) - away(b));
      if (!all.length) return;
      this.rowKey = key;
      for (const c of all) if (c.dataset.drawn) c.dataset.drawn = "old";
      // One after the other, so that the hand never waits for all of them; what is
      // changed meanwhile begins anew.
      try {
        for (const canvas of all) {
          if (this.rowKey !== key) return;
          if (!here()) break;
          const focal = Number(canvas.dataset.lensPicture),
            k = v.focal / focal,
            m = world.slice();
          if (stores.film.keepSize) {
            const d = v.focus * (1 - focal / v.focal);
            m[12] += f.x * d;
            m[13] += f.y * d;
            m[14] += f.z * d;
          }
          await this.small(
            canvas,
            { left: win.left * k, right: win.right * k, top: win.top * k, bottom: win.bottom * k },
            v,
            m,
          );
          if (this.rowKey !== key) return; // what is drawn now is of another row
          canvas.dataset.drawn = "yes";
          await new Promise((go) => setTimeout(go, 30));
        }
        if (all.some((c) => c.dataset.drawn !== "yes")) this.rowKey = "";
      } catch (e) {
        this.rowKey = "";
        this.v.say("The row of lenses cannot be drawn: " + e.message, true);
      }
    }
    // shotPictures draws kept shots that have no take yet.
    shotPictures(wait = 900) {
      clearTimeout(this.shotsLater);
      this.shotsLater = setTimeout(async () => {
        if (!this.v.on("frame") || stores.film.playing || this.canvas.width < 200) return;
        const s = this.v.now.shots.find(
          (s) =>
            !this.v.now.takes.some((t) => t.shot === s.id && stores.shoot.picture(t)) &&
            stores.film.stills[s.id]?.key !== `${JSON.stringify(s.view)} ${this.came}`,
        );
        if (!s) return;
        const canvas = Object.assign(document.createElement("canvas"), {
          width: 176,
          height: Math.round(176 / s.view.aspect) || 99,
        });
        const key = `${JSON.stringify(s.view)} ${this.came}`;
        await this.small(canvas, s.window, s.view, s.world, s.scale);
        stores.film.stills = { ...stores.film.stills, [s.id]: { key, url: canvas.toDataURL("image/jpeg", 0.85) } };
        this.shotPictures(); // the next one
      }, wait);
    }
  };
