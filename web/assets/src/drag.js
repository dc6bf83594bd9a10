// A pull is what a pointer does from where it is pressed until it is let go.

let held = null; // the pull that goes on: a promise of its end

// pulling says whether something is in the hand: what is shown then is left alone.
export const pulling = () => held !== null;

// letGo is kept when nothing is in the hand.
export const letGo = () => held || Promise.resolve();

// pull follows a pointer that was pressed on target. move gets its events once it
// has gone some pixels. drop is told at the end whether it moved: true, false for a
// click, or null when it was given up, by Escape or by the system; then what move
// changed goes back. It gets the last event too.
export function pull(target, e, move, drop, pixels = 3) {
  let moved = false,
    end;
  target.setPointerCapture(e.pointerId);
  held = new Promise((done) => {
    end = done;
  });
  const over = new AbortController(),
    listen = { signal: over.signal };
  const finish = (how, last) => {
    over.abort();
    held = null;
    try {
      drop(how, last);
    } finally {
      end();
    }
  };
  target.addEventListener(
    "pointermove",
    (m) => {
      if (
        m.pointerId !== e.pointerId ||
        (!moved && Math.hypot(m.clientX - e.clientX, m.clientY - e.clientY) < pixels)
      )
        return;
      moved = true;
      move(m);
    },
    listen,
  );
  target.addEventListener(
    "pointerup",
    (u) => {
      if (u.pointerId === e.pointerId) finish(moved, u);
    },
    listen,
  );
  target.addEventListener(
    "pointercancel",
    (c) => {
      if (c.pointerId === e.pointerId) finish(null, c);
    },
    listen,
  );
  addEventListener(
    "keydown",
    (k) => {
      if (k.key !== "Escape") return;
      k.preventDefault();
      k.stopImmediatePropagation();
      if (target.hasPointerCapture(e.pointerId)) target.releasePointerCapture(e.pointerId);
      finish(null, e);
    },
    { ...listen, capture: true },
  );
}
