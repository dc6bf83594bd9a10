// What the page asks of the server. Whoever needs an answer gets one: what failed
// because the server or its database was away is asked again until it is there, or
// not wanted any more.
// token is what a request that changes something says of the page that it comes from.
export const token = document.querySelector("meta[name=csrf]")?.getAttribute("content") || "";
const later = (ms) => new Promise((done) => setTimeout(done, ms));

// call asks once. What it throws has a status, and lost when the server or its
// database was away: then nobody knows what became of it.
export async function call(path, options = {}) {
  let answer, body;
  try {
    answer = await fetch(path, { ...options, headers: { "X-CSRF-Token": token, ...(options.headers || {}) } });
    if (answer.status === 204) return null;
    if (options.picture && answer.ok)
      return { told: JSON.parse(answer.headers.get("Visator-Told")), picture: await answer.blob() };
    body = options.raw && answer.ok ? await answer.arrayBuffer() : await answer.json();
  } catch (e) {
    if (answer && e instanceof SyntaxError)
      throw Object.assign(new Error(`The server answered ${answer.status}, in no words.`), {
        status: answer.status,
        lost: answer.status >= 500,
      });
    throw Object.assign(
      new Error("The server does not answer. What was confirmed is safe; try again when it is back."),
      { lost: true },
    );
  }
  if (!answer.ok)
    throw Object.assign(new Error(body.error || `The server answered ${answer.status}.`), {
      status: answer.status,
      lost: answer.status === 503,
    });
  return body;
}
// setID is the set of the page.
export const setID = () => document.documentElement.dataset.set;
// handIn keeps a picture for a production, and tells its blob.
export const handIn = async (production, file) =>
  (await call(`/api/productions/${production}/picture`, { method: "POST", body: file })).blob;
// pngURL is an address for a picture that was asked for raw; who has it revokes it.
export const pngURL = (raw) => URL.createObjectURL(new Blob([raw], { type: "image/png" }));
export const post = (path, body) =>
  call(path, { method: "POST", body: JSON.stringify(body), headers: { "Content-Type": "application/json" } });

// surely sends what may be sent again, since it is named: the server does it once.
// It gives up after some seconds, not knowing what became of it.
export async function surely(path, body) {
  for (const wait of [300, 900, 1800, 0]) {
    try {
      return await post(path, body);
    } catch (e) {
      if (!e.lost || !wait) throw e;
      await later(wait);
    }
  }
}
export const name = () => crypto.randomUUID();

// until asks again, ever more seldom, until there is an answer or it is not wanted
// any more: then it gives null. A refusal is an answer and thrown, as is a fault of
// the page itself.
export async function until(ask, wanted = () => true) {
  for (let wait = 250; wanted(); wait = Math.min(2 * wait, 8000)) {
    try {
      return await ask();
    } catch (e) {
      if (!e.lost && !(e.status >= 500)) throw e;
    }
    await later(wait);
  }
  return null;
}

// Pictures that did not come are asked for again, some times.
export function watchPictures() {
  addEventListener(
    "error",
    (e) => {
      const img = e.target;
      if (!(img instanceof HTMLImageElement)) return;
      const n = Number(img.dataset.again || 0),
        src = img.getAttribute("src");
      if (!src || src.startsWith("blob:") || n >= 6) return;
      img.dataset.again = String(n + 1);
      setTimeout(
        () => {
          if (img.getAttribute("src") === src) {
            img.removeAttribute("src");
            img.setAttribute("src", src);
          }
        },
        300 * 2 ** n,
      );
    },
    true,
  );
}
