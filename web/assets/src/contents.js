// What the lens view shows: the models of things, what elements are made of, sky and cards.
// It is laid over a view, which draws it.
import {
  BufferAttribute,
  BufferGeometry,
  Color,
  Group,
  InstancedMesh,
  MeshBasicMaterial,
  LinearSRGBColorSpace,
  Matrix4,
  Points,
  PointsMaterial,
  Quaternion,
  SRGBColorSpace,
  Vector3,
  TextureLoader,
} from "three";
import { call, until } from "./ask.js";
import { lampsOf, strongest } from "./glow.js";
import * as ambient from "./ambient.js";
import { airOf } from "./haze.js";
import { overSun, throwers } from "./shadows.js";
import { coat, matching, named, wearsOf, weather, weathers, worn as coatsOf } from "./coats.js";
import { otherwise } from "./otherwise.js";
import { stores } from "./stores.js";

export const filled = (View) =>
  class extends View {
    // weight is how large a thing is in the picture, about.
    weight(p, st) {
      const e = st.set.view.eye,
        w = p.world,
        f = st.lens.forward,
        x = (w ? w[12] : e.x) - e.x,
        y = (w ? w[13] : e.y) - e.y,
        z = (w ? w[14] : e.z) - e.z,
        far = Math.hypot(x, y, z),
        size = Math.max(p.dims.x, p.dims.y, p.dims.z);
      // What lies behind the camera comes last.
      const seen = far < size || (x * f.x + y * f.y + z * f.z) / far > 0.3 ? 1 : 0.1;
      return (seen * size) / Math.max(far - size / 2, 0.5);
    }
    // show brings what has come into the picture, in place of what was there.
    // What it is drawn with is made ready beside the page, for where it is drawn to.
    async show(it, old) {
      if (this.plain) this.renderer.setRenderTarget(this.blur.target);
      const ready = this.renderer.compileAsync(it.group, this.camera, this.scene).catch(() => {});
      this.renderer.setRenderTarget(null);
      await ready;
      this.veiled.push({ it, old });
      this.arrived();
    }
    // unveil shows what has come, and gives it.
    unveil() {
      const shown = new Set();
      for (const { it, old } of this.veiled.splice(0)) {
        if (old) this.scene.remove(old.group);
        if (this.placed.get(it.id) !== it) continue;
        it.ready = !it.partly; // the rest comes when it is laid out
        throwers(it.group, this.full);
        this.scene.add(it.group);
        shown.add(it.group);
      }
      if (shown.size) {
        this.herds.stale = true;
        this.tell();
        this.renderer.shadowMap.needsUpdate = true;
      }
      return shown;
    }
    // tell says how much of what is to be seen is there, and what comes next; it gives how many
    // are still to come.
    tell() {
      const all = [...this.placed.values()],
        left = all.filter((it) => !it.ready);
      if (this.v.coming && !left.length) {
        this.rowSoon(300);
        this.shotPictures(600);
      }
      this.v.coming = left.length
        ? {
            come: all.length - left.length,
            of: all.length,
            names: left
              .slice(0, 3)
              .map((it) => it.name)
              .join(", "),
          }
        : null;
      this.box.dataset.loading = left.length;
      return left.length;
    }
    // sync brings the scene to the state: what is gone goes, what is new comes. Where nothing
    // of that is another than it was, the picture stays and only what lies over it is drawn.
    sync(st) {
      const coats = (this.coats = coatsOf(st)),
        wears = wearsOf(st);
      const piece = new Map(st.pieces.map((p) => [p.id, p])),
        here = new Set();
      let other = false;
      for (const p of st.placements) {
        const ghost = stores.dress.overlay && p.standIn && p.standIn !== "person"; // the blockout laid over
        if (!stores.dress.visible(p) && !ghost) continue;
        const of = piece.get(p.piece),
          level = of?.levels[of.level];
        const steps = Math.min(Math.max(Math.round(p.size.y / 0.17), 1), 400);
        const url = p.standIn
          ? `/api/standins/${p.standIn === "steps" ? `steps-${steps}` : p.standIn}`
          : level
            ? `/blobs/${level.blob}?as=glb`
            : "";
        if (!url) continue;
        here.add(p.id);
        let it = this.placed.get(p.id);
        const made = matching(coats, p.id, p.piece),
          worn = ghost ? null : weathers(wears, p.id, p.group),
          look = `${url} ${p.tint} ${ghost ? "lines" : ""} ${named(made)} ${named(worn)}`;
        if (!it || it.look !== look) {
          const old = it;
          it = { look, group: new Group(), id: p.id, name: p.name, ready: Boolean(old?.ready) };
          it.group.matrixAutoUpdate = false;
          it.group.userData.id = p.id;
          this.placed.set(p.id, it);
          this.arrivals.model(url, this.weight(p, st)).then((m) => {
            if (this.placed.get(p.id) !== it) return this.show(it, old);
            const own = dressedUp(m.clone(), p.tint, ghost);
            it.group.add(weather(this.made(own, ghost ? null : made, it.inner), worn, this.plain));
            this.show(it, old);
          });
        }
        it.inner = of
          ? new Matrix4().fromArray(of.world)
          : p.standIn !== "person"
            ? new Matrix4().makeScale(p.size.x, p.size.y, p.size.z)
            : new Matrix4().makeScale(p.size.y / 1.75, p.size.y / 1.75, p.size.y / 1.75);
        const stands = new Matrix4().fromArray(p.world).multiply(it.inner);
        if (!it.carried && !this.posed && it.stands?.equals(stands)) continue;
        other = true;
        it.carried = null;
        it.stands = stands;
        it.group.matrix.copy(stands);
        it.group.matrixWorldNeedsUpdate = true;
      }
      for (const e of st.elements)
        if (e.key && stores.dress.visible(e)) {
          here.add(e.id);
          this.element(e, piece);
        }
      this.tell();
      for (const [id, it] of this.placed)
        if (!here.has(id)) {
          this.scene.remove(it.group);
          this.placed.delete(id);
          other = true;
        }
      if (other) this.herds.stale = true;
      const frame = this.v.on("frame"),
        moves = Boolean(stores.film.moveNow && stores.film.time > 0);
      const shown = JSON.stringify([
        st.lightNow,
        strongest(st),
        stores.film.lensWay,
        st.lens.scale,
        st.set.light,
        st.set.view,
        st.lens.world,
        st.lens.window,
        frame && st.set.match,
        frame && stores.film.blur,
        st.set.finish,
        this.box.clientWidth,
        this.box.clientHeight,
      ]);
      if (!other && !moves && !this.posed && shown === this.shown) {
        this.remark();
        this.shotPictures();
        return;
      }
      const l = st.lightNow,
        peak = Math.max(l.sun.x, l.sun.y, l.sun.z, 1e-9);
      this.sun.color.setRGB(l.sun.x / peak, l.sun.y / peak, l.sun.z / peak, LinearSRGBColorSpace);
      this.sun.intensity = this.sunFull = peak > 1e-6 ? peak : 0;
      this.sun.position.set(l.toSun.x, l.toSun.y, l.toSun.z);
      overSun(this.sun, st);
      this.renderer.shadowMap.needsUpdate = true;
      this.ambient(st.revision);
      this.renderer.toneMappingExposure = st.lens.scale;
      const way = stores.film.lensWay;
      airOf(this.scene, this.renderer, way === "air" ? null : l.air, l.toSun);
      lampsOf(this.scene, st);
      otherwise(this.scene, way, st.lens.scale);
      if (this.lit.picture) this.scene.background = this.backing(way);
      this.sky(this.skyOf(st));
      this.look(st.set.view, st.lens.world, st.lens.window);
      this.overlay();
      if (moves) stores.film.pose();
      else this.posed = false;
      this.shown = shown;
      this.shotPictures();
    }
    // pose shows a frame of the move: the camera, what rides, what cards play.
    pose(p) {
      for (const id of this.riding || []) {
        const it = this.placed.get(id);
        if (it?.stands && !p.moved?.[id]) {
          it.group.matrix.copy(it.stands);
          it.group.matrixWorldNeedsUpdate = true;
        }
      }
      this.riding = Object.keys(p.moved || {});
      for (const id of this.riding) {
        const it = this.placed.get(id);
        if (!it?.stands) continue;
        it.group.matrix.fromArray(p.moved[id]).multiply(it.stands);
        it.group.matrixWorldNeedsUpdate = true;
      }
      for (const id in p.cards || {}) this.play(this.placed.get(id), `/blobs/${p.cards[id]}?as=png`);
      for (const id in p.lights || {}) {
        if (!id) {
          this.sun.intensity = (this.sunFull ?? this.sun.intensity) * p.lights[id];
          continue;
        }
        this.placed.get(id)?.group.traverse((o) => {
          if (o.isMesh && o.material.emissiveIntensity != null) {
            if (!o.userData.own) {
              o.material = o.material.clone();
              o.userData.own = o.material.emissiveIntensity;
            }
            o.material.emissiveIntensity = o.userData.own * p.lights[id];
          }
        });
      }
      this.posed = this.herds.stale = true;
      this.renderer.toneMappingExposure = p.scale;
      this.look(p.view, p.world, p.window);
    }
    // made makes a model of what its surfaces are made of in the set.
    made(m, list, inner) {
      return coat(m, list, inner || new Matrix4(), this.plain, () => this.invalidate());
    }
    play(it, url) {
      if (!it || it.shows === url) return;
      it.shows = url;
      if (!this.cards.has(url))
        this.cards.set(
          url,
          new TextureLoader()
            .loadAsync(url)
            .then((t) => {
              t.colorSpace = SRGBColorSpace;
              t.flipY = false;
              return t;
            })
            .catch(() => null),
        );
      this.cards.get(url).then((t) => {
        if (t && it.shows === url) {
          it.group.traverse((o) => {
            if (o.isMesh && o.material.map && o.material.map.name !== "white") {
              o.material.map = t;
              o.material.needsUpdate = true;
            }
          });
          this.invalidate();
        }
      });
    }
    // overlay lays the picture to be matched over the frame, or under the set.
    overlay(patch) {
      this.shown = "";
      const m = { ...(this.v.now.set.match || {}), ...patch };
      if (!this.sheet) {
        this.sheet = new Image();
        this.sheet.alt = "";
        this.sheet.onerror = () =>
          this.v.say("The picture over the view is missing: lay it over the view again.", true);
        this.sheet.style.cssText = "position:absolute;pointer-events:none;object-fit:fill";
        this.box.insertBefore(this.sheet, this.canvas);
        this.canvas.style.position = "relative";
      }
      const url = m.picture && this.v.on("frame") ? `/blobs/${m.picture}?as=png` : "";
      this.sheet.style.display = url ? "" : "none";
      if (url && this.sheet.getAttribute("src") !== url) this.sheet.src = url;
      this.sheetState = url ? m : null;
      this.sheet.style.zIndex = m.under ? "0" : "1";
      this.canvas.style.zIndex = 0;
      this.over.style.zIndex = 2;
      this.sheet.style.opacity = m.opacity ?? 1;
      this.sheet.style.clipPath = `inset(0 ${100 * (1 - (m.wipe ?? 1))}% 0 0)`;
      this.invalidate();
    }
    // arrived: something came that is drawn; small pictures are made again.
    // Things come in crowds: the view is drawn when some have come, not for each.
    arrived() {
      this.came = (this.came || 0) + 1;
      // With no graphics card drawing keeps what comes waiting: it takes a third of the time. The
      // last to come waits for nothing.
      const last = this.tell() <= this.veiled.length;
      if (last) clearTimeout(this.coming);
      if (last || !this.coming)
        this.coming = setTimeout(
          () => {
            this.coming = 0;
            this.invalidate();
          },
          last ? 0 : Math.max(150, this.cost || 0),
        );
      this.rowSoon(1500);
      this.shotPictures(2000);
    }
    // element shows what an element is made of and what it lays: as copies of light
    // versions of its pieces while they keep to the budget, else as points.
    element(e, piece) {
      const budget = Math.max(this.v.now.production.budget * 0.4, 20000);
      const list = e.count ? this.v.laid.of(e, 200000) : null,
        made = (e.pieces || []).map((id) => matching(this.coats, e.id, id)),
        own = matching(this.coats, e.id, ""),
        look = `${e.key} ${Boolean(list)} ${budget} ${named(own)} ${made.map(named)}`;
      let it = this.placed.get(e.id);
      if (it?.look === look || (it?.ready && e.count && !list)) return; // until it is laid out anew the older is drawn
      const old = it;
      it = { look, group: new Group(), id: e.id, name: e.name, ready: Boolean(old?.ready) };
      it.group.matrixAutoUpdate = false;
      it.group.userData.id = e.id;
      this.placed.set(e.id, it);
      const ready = [];
      if (e.model)
        ready.push(
          this.arrivals
            .load(
              `/api/sets/${document.documentElement.dataset.set}/elements/${e.id}/model?k=${e.key}`,
              () => this.placed.get(e.id) === it,
            )
            .then((m) => {
              if (m) it.group.add(this.made(m, own));
            })
            .catch(() => {}),
        );
      if (list) ready.push(this.copies(it.group, e, list, piece, budget));
      Promise.all(ready).then(() => {
        it.partly = !list && e.count > 0;
        this.show(it, old);
      });
    }
    async copies(group, e, list, piece, budget) {
      const by = e.pieces.map(() => []);
      for (let i = 0; i < list.count; i++) {
        const t = list.at(i);
        by[t.piece].push(t);
      }
      const light = e.pieces.map((id) => piece.get(id)?.levels.at(-1));
      const total = by.reduce((n, l, k) => n + l.length * (light[k]?.triangles || 0), 0);
      if (total > budget || list.count < e.count)
        return this.points(
          group,
          by,
          e.pieces.map((id) => piece.get(id)),
        );
      for (let k = 0; k < by.length; k++) {
        const of = piece.get(e.pieces[k]);
        if (!light[k] || !by[k].length) continue;
        const inner = new Matrix4().fromArray(of.world),
          came = await this.arrivals.model(`/blobs/${light[k].blob}?as=glb`, 0.2),
          list = matching(this.coats, e.id, e.pieces[k]),
          m = list ? this.made(came.clone(), list, inner) : came;
        m.updateMatrixWorld(true);
        m.traverse((o) => {
          if (!o.isMesh) return;
          const copies = new InstancedMesh(o.geometry, o.material, by[k].length),
            at = new Matrix4(),
            own = inner.clone().multiply(o.matrixWorld);
          by[k].forEach((t, i) =>
            copies.setMatrixAt(
              i,
              at
                .compose(new Vector3(t.x, t.y, t.z), new Quaternion(...t.q), new Vector3(t.scale, t.scale, t.scale))
                .multiply(own),
            ),
          );
          copies.frustumCulled = false;
          copies.userData.piece = e.pieces[k];
          group.add(copies);
        });
      }
    }
    // points stand for what is too much to draw: as tall as the things are.
    points(group, by, pieces) {
      by.forEach((list, k) => {
        if (!list.length) return;
        const high = pieces[k]?.size.y || 1,
          at = new Float32Array(9 * list.length);
        list.forEach((t, i) =>
          at.set([t.x, t.y, t.z, t.x, t.y + 0.5 * high * t.scale, t.z, t.x, t.y + high * t.scale, t.z], 9 * i),
        );
        const g = new BufferGeometry();
        g.setAttribute("position", new BufferAttribute(at, 3));
        const dots = new Points(
          g,
          new PointsMaterial({ color: 0x3c3c3c, size: 2.2, sizeAttenuation: false, toneMapped: false }),
        );
        dots.frustumCulled = false;
        group.add(dots);
      });
    }
    // skyOf names the sky of a state.
    skyOf(st) {
      return JSON.stringify([st.set.light, st.lightNow.standing && st.set.view.eye]);
    }
    async sky(key, shining = false) {
      if (this.skyKey === key && !shining) return;
      this.skyKey = key;
      // Its light takes half a second then: of a sun that is being pulled, the last.
      if (this.plain) await new Promise((done) => setTimeout(done, 150));
      if (this.skyKey !== key) return;
      const own = this.v.now.lightNow.behind,
        get = (how) =>
          until(
            () => call(`/api/sets/${document.documentElement.dataset.set}/sky${how}`, { raw: true }),
            () => this.skyKey === key,
          ).catch((e) => this.v.say(e.message, true));
      const how = shining ? "shining=1" : "",
        [raw, behind] = await Promise.all([get("?" + how), own ? get("?behind=1&" + how) : null]);
      if (!raw || this.skyKey !== key) return;
      this.lit.take(raw, behind);
      this.scene.background = this.backing(stores.film.lensWay);
      this.scene.environment = this.lit.light?.texture || null;
      // three.js puts u = 0.5 at +X; here it is at -Z.
      this.scene.backgroundRotation.y = this.scene.environmentRotation.y = Math.PI / 2;
      this.scene.environmentIntensity = this.lit.scale;
      this.scene.backgroundIntensity = this.lit.behindScale;
      this.invalidate();
    }
    // ambient asks for the light that fills the set as it is now: quickly, and then finely.
    ambient(revision) {
      if (!this.full || this.ambientOf === revision) return;
      this.ambientOf = revision;
      clearTimeout(this.ambientSoon);
      this.ambientSoon = setTimeout(async () => {
        for (const how of ["", "?fine=1"]) {
          stores.film.ambientSaid = how ? "bounced light gets finer" : "bounced light is being worked out";
          const url = `/api/sets/${document.documentElement.dataset.set}/ambient${how}`,
            raw = await call(url, { raw: true }).catch(() => null);
          if (this.ambientOf !== revision) return;
          ambient.take(raw);
          lampsOf(this.scene, this.v.now);
          if (raw && !how) {
            // Now the server knows what shines in the air.
            this.sky(this.skyOf(this.v.now), true);
          }
          this.box.dataset.ambient = raw ? (how ? "fine" : "quick") : "none";
          this.invalidate();
        }
        stores.film.ambientSaid = ambient.fills() ? "" : "bounced light could not be worked out";
      }, 400);
    }
    // backing is what is seen behind everything.
    backing(way) {
      return way === "sky" ? null : this.lit.behind;
    }
  };

// dressedUp gives a copy of a model the tint of its placement; as a ghost it is
// drawn in lines.
function dressedUp(m, tint, ghost) {
  if (!tint && !ghost) return m;
  m.traverse((o) => {
    if (!o.isMesh) return;
    if (ghost) {
      o.material = new MeshBasicMaterial({
        color: 0xf0f0f0,
        wireframe: true,
        transparent: true,
        opacity: 0.55,
        toneMapped: false,
      });
      return;
    }
    o.material = o.material.clone();
    o.material.color.multiply(new Color(tint));
  });
  return m;
}
