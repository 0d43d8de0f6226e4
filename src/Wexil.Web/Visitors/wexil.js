// For the owner's pages, hosted here or outside: says that a page was reached, what was clicked on, and how long a visitor stayed; on
// outside pages it carries the visitor from page to page of that site in a first-party cookie.
(() => {
  const script = document.currentScript;
  if (!script) return;
  const home = new URL(script.src).origin;
  // Where the page is hosted here, the visitor is known by our own cookie, which no script reads.
  const at = home === location.origin ? script.dataset.page : undefined;
  const name = "wx_visitor";
  let own = at ? undefined : document.cookie.split("; ").find((part) => part.startsWith(name + "="))?.slice(name.length + 1);
  const address = new URL(location.href);
  if (address.searchParams.get("try") === "1" || address.searchParams.has("wx_try")) return;
  const token = address.searchParams.get("wx");
  const reached = address.href;
  if (token && !at) {
    // Out of the address bar, so that a forwarded address makes no strangers one visitor.
    for (const part of ["wx", "wx_test", "wx_page"]) address.searchParams.delete(part);
    history.replaceState(history.state, "", address);
  }
  if (!own && !token && !at) return;
  const tell = (path, message) => fetch(home + path, { method: "POST", keepalive: true, credentials: at ? "same-origin" : "omit", body: JSON.stringify({ page: reached, at, visitor: own, ...message }) });

  let watched = [];
  tell("/reached", { wx: own ? undefined : token })
    .then((answer) => (answer.status === 200 ? answer.json() : null))
    .then((answer) => {
      if (!answer) return;
      watched = answer.clicks;
      if (at || own) return;
      own = answer.visitor;
      const secure = location.protocol === "https:" ? "; secure" : "";
      document.cookie = `${name}=${own}; max-age=34560000; path=/; samesite=lax${secure}`;
    })
    .catch(() => {});

  // A form that is wired to us is sent as the browser sends it: a script that took it in where the page came from would swallow it here.
  if (at) {
    addEventListener("submit", (event) => {
      if (new URL(event.target.action, location.href).pathname === `/p/${at}/opt-in`) event.stopImmediatePropagation();
    }, true);
  }

  let engaged = false;
  addEventListener("click", ({ target }) => {
    engaged = true;
    for (const { key, element } of watched) {
      try {
        if (target.closest?.(element)) tell(`/signal/${key}`, {}).catch(() => {});
      } catch {
        // Not a selector: the owner's screen says so.
      }
    }
  }, true);
  addEventListener("scroll", () => (engaged = true), { capture: true, once: true, passive: true });

  let since = document.visibilityState === "visible" ? performance.now() : null;
  let seen = 0;
  const leave = () => {
    if (since === null || (!at && !own)) return;
    const stretch = Math.round(performance.now() - since);
    since = null;
    seen += stretch;
    tell("/stay", { milliseconds: stretch, engaged: engaged || seen >= 10000 }).catch(() => {});
  };
  document.addEventListener("visibilitychange", () => {
    if (document.visibilityState === "hidden") leave();
    else since ??= performance.now();
  });
  addEventListener("pagehide", leave);
})();
