// Files on their way to the server.
import { token } from "./ask.js";
import { stores } from "./stores.js";

// send posts body to url and tells how far it has come, as a share of 1. It gives the answer's
// status and what it says; an answer that is none says nothing.
function send(url, body, type, told) {
  return new Promise((done) => {
    const x = new XMLHttpRequest();
    x.open("POST", url);
    x.setRequestHeader("X-CSRF-Token", token);
    if (type) x.setRequestHeader("Content-Type", type);
    x.upload.onprogress = (e) => told(e.total ? e.loaded / e.total : 0);
    x.onloadend = () => {
      let answer = {};
      try {
        answer = JSON.parse(x.responseText);
      } catch {
        /* what is no answer says nothing */
      }
      done({ status: x.status, answer });
    };
    x.send(body);
  });
}

// uploader gives upload, which sends files as one arrival, all or nothing; piece is one whose
// maps are looked for in them. What the server says is told, and the page looks again.
export function uploader(Alpine) {
  return async function upload(name, list, piece = "") {
    const v = stores.v,
      up = Alpine.reactive({ name, share: 0, error: "" });
    v.uploads.push(up);
    const single = list.length === 1 && !piece && !list[0].path.includes("/");
    const base = `/api/productions/${v.st.production.id}/`,
      q = new URLSearchParams({ name, piece });
    let body = list[0].file;
    if (!single) {
      body = new FormData();
      for (const f of list) body.append(f.path, f.file, f.file.name);
    }
    const { status, answer } = await send(
      base + (single ? "arrivals?" : "folders?") + q,
      body,
      single ? "application/octet-stream" : "",
      (share) => {
        up.share = share;
      },
    );
    if (status !== 200) {
      up.error = answer.error || "The upload did not arrive. Nothing of it was taken in; try again.";
      v.say(up.error, true);
    } else {
      v.uploads = v.uploads.filter((u) => u.name !== name || u.error);
      if (answer.twice && !piece) v.say(`${name} is here already, as ${answer.arrival.name}.`);
    }
    await v.reload();
  };
}
