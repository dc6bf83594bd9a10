// What the hand does in the lens view: it picks and moves things, and walks about.
import { Matrix4, Raycaster, Vector3 } from "three";
import { pressMatch } from "./match.js";
import { pull } from "./drag.js";
import { stores } from "./stores.js";

export const walked = (View) =>
  class extends View {
    // carry moves a placement while it is dragged, before it is kept.
    carry(p) {
      const it = this.placed.get(p.id);
      if (!it) return;
      const s = p.scale;
      const turn = new Matrix4()
        .makeRotationY(p.yaw)
        .multiply(new Matrix4().makeRotationX(p.pitch))
        .multiply(new Matrix4().makeRotationZ(p.roll));
      const world = turn.scale(new Vector3(s.x, s.y, s.z)).setPosition(p.at.x, p.at.y, p.at.z);
      this.herds.stale ||= !it.carried;
      it.carried = world; // the brackets go along
      this.moved = performance.now();
      it.group.matrix.copy(world).multiply(it.inner);
      it.group.matrixWorldNeedsUpdate = true;
      this.invalidate();
    }
    press(e) {
      if (pressMatch(this, e)) return;
      if (e.shiftKey && this.v.on("frame dress light")) return this.orbit(e);
      if (!stores.film.picking && this.grasp.take(e, (u) => this.click(u))) return;
      const view = this.v.st.set.view,
        f = this.frame(),
        start = { yaw: view.yaw, pitch: view.pitch };
      let now = null;
      pull(
        this.canvas,
        e,
        (m) => {
          if (!now) this.home();
          // The picture follows the hand: a frame's width is the angle of view.
          const k = this.tall / f.h;
          now = {
            yaw: start.yaw + (m.clientX - e.clientX) * k,
            pitch: Math.min(Math.max(start.pitch + (m.clientY - e.clientY) * k, -1.57), 1.57),
          };
          this.look(view, this.aimed(view.eye, now.yaw, now.pitch, view.roll));
        },
        (moved, u) => {
          if (moved === null) return this.v.draw();
          if (!moved) return this.click(u);
          const turn = (Math.hypot(now.yaw - start.yaw, now.pitch - start.pitch) * 180) / Math.PI;
          return stores.shoot
            .view(now)
            .then(() =>
              this.v.say(`The camera was turned by ${this.v.number(turn, 1)}°; the comma key takes it back.`),
            );
        },
        4,
      );
    }
    // click selects what is under the pointer: what is seen there; a click on what is
    // selected goes on to what lies behind.
    click(u) {
      if (stores.film.picking === "focus") {
        const on = this.grasp.first(u),
          at = on?.at;
        stores.film.picking = "";
        return stores.dress.placement(on?.id)
          ? this.v.does("focus", { id: on.id })
          : at
            ? this.v.does("focus", { at: { x: at.x, y: at.y, z: at.z } })
            : this.v.say("There is nothing to focus on.", true);
      }
      const under = this.grasp.hits(u),
        i = this.v.sel.length ? under.indexOf(this.v.sel[0]) : -1;
      return stores.dress.select(under[(i + 1) % (under.length || 1)] || "", u.shiftKey);
    }
    // lift moves the selected thing up and down by its stalk.
    lift(e) {
      const id = e.target.closest("[data-stalk]")?.dataset.stalk,
        p = id && stores.dress.placement(id);
      if (!p) return;
      e.stopPropagation();
      const q = new Vector3(p.at.x, p.at.y, p.at.z).applyMatrix4(this.camera.matrixWorldInverse),
        kept = p.at.y;
      const metres = (-q.z * this.tall) / this.frame().h; // that a pixel is at its distance
      pull(
        this.over,
        e,
        (m) => {
          const up = kept + (e.clientY - m.clientY) * metres;
          p.at.y = this.v.snapOn && !m.altKey ? Math.round(up * 20) / 20 : up; // steps of 5 cm
          this.lifting = true;
          this.carry(p);
        },
        (moved) => {
          const y = p.at.y;
          this.lifting = false;
          p.at.y = kept;
          if (moved) stores.dress.change(p.id, { at: { y } });
          else this.v.draw();
        },
        0,
      );
    }
    // aimed is the transform of a view that looks from eye with yaw, pitch and roll.
    aimed(eye, yaw, pitch, roll) {
      return new Matrix4()
        .makeRotationY(yaw)
        .multiply(new Matrix4().makeRotationX(pitch))
        .multiply(new Matrix4().makeRotationZ(roll))
        .setPosition(eye.x, eye.y, eye.z).elements;
    }
    // orbit goes around what is selected, or around what is in focus.
    orbit(e) {
      const view = this.v.st.set.view,
        p = stores.dress.one,
        fw = this.v.st.lens.forward,
        f = this.frame();
      const c = p
        ? { x: p.at.x, y: p.at.y + p.dims.y / 2, z: p.at.z }
        : { x: view.eye.x + fw.x * view.focus, y: view.eye.y + fw.y * view.focus, z: view.eye.z + fw.z * view.focus };
      const d = new Vector3(view.eye.x - c.x, view.eye.y - c.y, view.eye.z - c.z),
        r = d.length(),
        a0 = Math.atan2(d.x, d.z),
        e0 = Math.asin(d.y / r),
        yaw0 = view.yaw - a0;
      let to = null;
      pull(
        this.canvas,
        e,
        (m) => {
          if (!to) this.home();
          const a = a0 - ((m.clientX - e.clientX) / f.w) * 3,
            up = Math.min(Math.max(e0 + ((m.clientY - e.clientY) / f.h) * 2, -1.5), 1.5);
          const eye = {
            x: c.x + r * Math.cos(up) * Math.sin(a),
            y: c.y + r * Math.sin(up),
            z: c.z + r * Math.cos(up) * Math.cos(a),
          };
          to = { eye, yaw: yaw0 + a, pitch: Math.min(Math.max(view.pitch - (up - e0), -1.57), 1.57) };
          this.look(view, this.aimed(eye, to.yaw, to.pitch, view.roll));
        },
        (moved) => {
          if (moved) return stores.shoot.view(to);
          return moved === null ? this.v.draw() : stores.dress.select(this.grasp.hits(e)[0] || "", true);
        },
      );
    }
    // step walks: arrows go and turn at eye height over what is underfoot, walls
    // stop; Page Up and Page Down fly. Only keys of walking are taken.
    step(e) {
      const go = {
        ArrowUp: [1, 0, 0],
        ArrowDown: [-1, 0, 0],
        ArrowLeft: [0, 1, 0],
        ArrowRight: [0, -1, 0],
        PageUp: [0, 0, 1],
        PageDown: [0, 0, -1],
      }[e.key];
      if (!go) return false;
      this.home();
      const v = this.v.st.set.view,
        at = (this.walked ||= { eye: { ...v.eye }, yaw: v.yaw, pitch: v.pitch, high: stores.film.raw.height ?? 1.6 });
      const k = (e.shiftKey ? 4 : 1) * (e.altKey ? 0.2 : 1),
        far = 0.25 * k;
      at.yaw += go[1] * 0.05 * k;
      if (go[2]) {
        at.eye.y += go[2] * far;
        at.high += go[2] * far;
      }
      if (go[0]) {
        const dir = new Vector3(-Math.sin(at.yaw) * go[0], 0, -Math.cos(at.yaw) * go[0]),
          groups = [...this.placed.values()].map((p) => p.group);
        this.scene.updateMatrixWorld();
        const knee = new Vector3(at.eye.x, at.eye.y - at.high + 0.6, at.eye.z),
          meets = (o, d, l) => new Raycaster(o, d, 0, l).intersectObjects(groups, true)[0];
        if (
          !e.ctrlKey &&
          at.high < 5 &&
          (meets(knee, dir, far + 0.3) || meets(new Vector3(at.eye.x, at.eye.y, at.eye.z), dir, far + 0.3))
        )
          this.v.say("something is in the way");
        else {
          at.eye.x += dir.x * far;
          at.eye.z += dir.z * far;
        }
        // What is underfoot, up to half a metre above where the feet are.
        const down = meets(new Vector3(at.eye.x, at.eye.y - at.high + 0.5, at.eye.z), new Vector3(0, -1, 0), 20);
        if (down) at.eye.y += down.point.y + at.high - at.eye.y;
      }
      this.look(v, this.aimed(at.eye, at.yaw, at.pitch, v.roll));
      clearTimeout(this.rest);
      this.rest = setTimeout(() => {
        const w = this.walked;
        this.walked = null;
        stores.shoot.view({ eye: w.eye, yaw: w.yaw });
      }, 350);
      return true;
    }
    dolly(e) {
      e.preventDefault();
      this.home();
      const view = this.v.st.set.view,
        f = this.v.st.lens.forward;
      this.run = (this.run || 0) - e.deltaY * 0.002 * Math.max(0.5, Math.min(view.focus, 20)) * 0.25;
      const eye = { x: view.eye.x + f.x * this.run, y: view.eye.y + f.y * this.run, z: view.eye.z + f.z * this.run };
      this.look(view, new Matrix4().fromArray(this.v.st.lens.world).setPosition(eye.x, eye.y, eye.z).elements);
      clearTimeout(this.rest);
      this.rest = setTimeout(() => {
        this.run = 0;
        stores.shoot.view({ eye });
      }, 250);
    }
  };
