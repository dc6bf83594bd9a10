// One stream of events for all pages of a browser: browsers keep few connections
// to one server, and a page each would use them up. It is a shared worker, which
// lives as long as one of the pages.
const pages = new Set();
let source = null,
  up = false;

const tell = (what) => {
  for (const p of pages) p.postMessage(what);
};

function open() {
  source = new EventSource("/api/events");
  source.onopen = () => {
    up = true;
    tell({ up });
  };
  source.onerror = () => {
    up = false;
    tell({ up });
    if (source.readyState === 2) {
      source = null;
      setTimeout(() => source || open(), 1000);
    }
  };
  source.onmessage = (e) => tell({ message: e.data });
}

self.onconnect = (e) => {
  const page = e.ports[0];
  page.onmessage = (m) => {
    if (m.data === "bye") {
      pages.delete(page);
      return;
    }
    pages.add(page);
    if (!source) open();
    // It may have missed something before it was here.
    else page.postMessage({ up, message: '{"what":"again"}' });
  };
};
