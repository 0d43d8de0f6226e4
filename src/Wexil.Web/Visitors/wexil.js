// For the owner's pages, hosted here or outside: says that a page was reached, what was clicked on, and how long a
// visitor stayed; on outside pages it carries the visitor from page to page of that site in a first-party cookie, and
// back to the links here.
(() => {
  const script = document.currentScript;
  // A page that was brought here may carry the line of the site it came from.
  if (!script || window.wexil) return;
  window.wexil = { token: "" };
  const home = new URL(script.src).origin;
  // Where the page is hosted here, the visitor is known by our own cookie, which no script reads.
  const at = home === location.origin ? script.dataset.page : undefined;
  const name = "wx_visitor";
  const ours = ["wx", "wx_test", "wx_page", "wx_start"];
  const tokenLife = 8 * 60 * 1000;
  const parameters = new URLSearchParams(location.search);
  if (parameters.get("try") === "1" || parameters.has("wx_try") || parameters.has("wx_versions")) return;
  const arrived = parameters.get("wx");
  let reached = location.href;
  let own, watched, fragments, engaged, since, seen;

  // Out of the address bar, so that a forwarded address makes no strangers one visitor. The rest stays letter for
  // letter.
  if (arrived) {
    const kept = location.search
      .slice(1)
      .split("&")
      .filter((part) => part && !ours.includes(part.split("=")[0]));
    history.replaceState(
      history.state,
      "",
      location.pathname + (kept.length ? "?" + kept.join("&") : "") + location.hash,
    );
  }
  if (at || arrived || known()) start();
  // A section on the page is told who the visitor is.
  else document.addEventListener("wexil-visitor", start, { once: true });

  function known() {
    if (at) return undefined;
    const cookie = document.cookie.split("; ").find((part) => part.startsWith(name + "="));
    return cookie?.slice(name.length + 1);
  }

  function start() {
    // A page that the browser makes ready ahead has no visitor yet.
    if (document.prerendering) document.addEventListener("prerenderingchange", begin, { once: true });
    else begin();
  }

  function begin() {
    own = known();
    watched = [];
    fragments = [];
    engaged = false;
    seen = 0;
    since = document.visibilityState === "visible" ? performance.now() : null;
    reach(own ? undefined : arrived);
    watchPages();
    watchClicks();
    watchStay();
    if (at) keepForms();
    else setInterval(renew, tokenLife);
  }

  function tell(path, message) {
    return fetch(home + path, {
      method: "POST",
      keepalive: true,
      credentials: at ? "same-origin" : "omit",
      body: JSON.stringify({ page: reached, at, visitor: own, ...message }),
    });
  }

  function reach(wx) {
    tell("/reached", { wx })
      .then((answer) => (answer.status === 200 ? answer.json() : null))
      .then((answer) => {
        if (!answer) return;
        watched = answer.clicks;
        fragments = answer.fragments;
        if (at) return;
        if (own !== answer.visitor) {
          own = answer.visitor;
          const secure = location.protocol === "https:" ? "; secure" : "";
          document.cookie = `${name}=${own}; max-age=34560000; path=/; samesite=lax${secure}`;
        }
        offer(answer.token);
      })
      .catch(() => {});
  }

  // The token, for order forms and scripts of the page, and pictures that tell of a goal.
  function offer(token) {
    window.wexil.token = token;
    for (const field of document.querySelectorAll("input[data-wexil=token]")) field.value = token;
    for (const picture of document.querySelectorAll("img[data-wexil-src]")) {
      picture.src = withToken(picture.dataset.wexilSrc);
      picture.removeAttribute("data-wexil-src");
    }
    document.dispatchEvent(new CustomEvent("wexil", { detail: { token } }));
  }

  function renew() {
    if (!own || document.visibilityState !== "visible") return;
    tell("/token", {})
      .then((answer) => (answer.status === 200 ? answer.json() : null))
      .then((answer) => answer && offer(answer.token))
      .catch(() => {});
  }

  function withToken(address) {
    const token = window.wexil.token;
    if (!token) return address;
    const [path, hash] = withoutOurs(address).split("#");
    return `${path}${path.includes("?") ? "&" : "?"}wx=${token}${hash === undefined ? "" : "#" + hash}`;
  }

  // Site software that changes the page without loading one changes the address all the same.
  function watchPages() {
    for (const change of ["pushState", "replaceState"]) {
      const before = history[change];
      history[change] = function () {
        const result = before.apply(this, arguments);
        changed();
        return result;
      };
    }
    addEventListener("popstate", changed);
    addEventListener("hashchange", changed);
  }

  // A fragment is another page where the site's software or the owner says so, and otherwise a place on the page.
  function changed() {
    const page = (address) => {
      const { origin, pathname, search, hash } = new URL(address);
      return origin + pathname + search + (/^#!?\//.test(hash) || fragments.includes(hash) ? hash : "");
    };
    if (page(location.href) === page(reached) || page(location.href) === page(withoutOurs(reached))) return;
    leave();
    reached = location.href;
    since = document.visibilityState === "visible" ? performance.now() : null;
    seen = 0;
    engaged = false;
    reach();
  }

  function withoutOurs(address) {
    const [path, hash] = address.split("#");
    const [stem, query] = path.split("?");
    const kept = (query || "").split("&").filter((part) => part && !ours.includes(part.split("=")[0]));
    return stem + (kept.length ? "?" + kept.join("&") : "") + (hash === undefined ? "" : "#" + hash);
  }

  function watchClicks() {
    addEventListener(
      "click",
      ({ target }) => {
        engaged = true;
        for (const { key, element } of watched) {
          try {
            if (target.closest?.(element)) tell(`/signal/${key}`, {}).catch(() => {});
          } catch {
            // Not a selector: the owner's screen says so.
          }
        }
      },
      true,
    );
    if (at) return;
    // Links that lead here from an outside page bring the visitor along, for browsers that keep the two sites apart.
    for (const kind of ["pointerdown", "click", "auxclick"]) {
      addEventListener(
        kind,
        ({ target }) => {
          const link = target.closest?.("a[href]");
          if (link && link.origin === home && /^\/(go|buy|no)\//.test(link.pathname)) link.href = withToken(link.href);
        },
        true,
      );
    }
    addEventListener(
      "submit",
      () => {
        for (const field of document.querySelectorAll("input[data-wexil=token]")) field.value = window.wexil.token;
      },
      true,
    );
  }

  // A form that is wired to us is sent as the browser sends it: a script that took it in where the page came from would
  // swallow it here.
  function keepForms() {
    addEventListener(
      "submit",
      (event) => {
        if (new URL(event.target.action, location.href).pathname === `/p/${at}/opt-in`)
          event.stopImmediatePropagation();
      },
      true,
    );
  }

  function watchStay() {
    addEventListener("scroll", () => (engaged = true), { capture: true, once: true, passive: true });
    document.addEventListener("visibilitychange", () => {
      if (document.visibilityState === "hidden") leave();
      else since ??= performance.now();
    });
    addEventListener("pagehide", leave);
  }

  function leave() {
    if (since === null || (!at && !own)) return;
    const stretch = Math.round(performance.now() - since);
    since = null;
    seen += stretch;
    tell("/stay", { milliseconds: stretch, engaged: engaged || seen >= 10000 }).catch(() => {});
  }
})();
