// Pictures that the server draws when they are asked for come a few at a time: whoever asks for dozens at once takes
// all ways to the server from everything else.

const most = 2; // at a time, of the six ways that a browser has to one server
let loading = 0;
const waiting = []; // what is to be seen and was not asked for yet

function next() {
  while (loading < most && waiting.length) {
    const { img, url } = waiting.shift();
    if (img.wanted !== url || !img.isConnected) continue;
    loading++;
    const done = () => {
      img.removeEventListener("load", done);
      img.removeEventListener("error", done);
      loading--;
      next();
    };
    img.addEventListener("load", done);
    img.addEventListener("error", done);
    img.src = url;
  }
}

const seen = new IntersectionObserver(
  (list) => {
    for (const { target, isIntersecting } of list) {
      const img = /** @type {any} */ (target);
      if (!isIntersecting || img.asked === img.wanted) continue;
      img.asked = img.wanted;
      waiting.push({ img, url: img.wanted });
    }
    next();
  },
  { rootMargin: "100px" },
);

// late adds x-late="address": the picture is asked for when it comes into view and it is its turn.
export function late(Alpine) {
  Alpine.directive("late", (img, { expression }, { evaluateLater, effect, cleanup }) => {
    const get = evaluateLater(expression);
    effect(() =>
      get((url) => {
        if (img.wanted === url) return;
        img.wanted = url;
        seen.unobserve(img);
        if (url) seen.observe(img); // told again whether it is seen
      }),
    );
    cleanup(() => seen.unobserve(img));
  });
}
