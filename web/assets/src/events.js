// listen tells what changed on the server: heard gets each announcement, state
// whether there is a connection.
export function listen(heard, state) {
  const take = (d) => {
    if ("up" in d) state(d.up);
    if (d.message) heard(JSON.parse(d.message));
  };
  if (typeof SharedWorker === "undefined") {
    const s = new EventSource("/api/events");
    s.onmessage = (e) => take({ message: e.data });
    s.onopen = () => take({ up: true });
    s.onerror = () => take({ up: false });
    return;
  }
  const worker = new SharedWorker("/static/stream.js", { name: "visator" });
  worker.port.onmessage = (e) => take(e.data);
  worker.port.postMessage("here");
  addEventListener("pagehide", () => worker.port.postMessage("bye"));
  addEventListener("pageshow", (e) => {
    if (e.persisted) worker.port.postMessage("here");
  });
}
