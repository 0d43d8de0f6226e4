// For outside pages: says that the page was reached, and carries the visitor from page to page of this site in a first-party cookie.
(() => {
  const script = document.currentScript;
  if (!script) return;
  const home = new URL(script.src).origin;
  const name = "wx_visitor";
  const own = document.cookie.split("; ").find((part) => part.startsWith(name + "="))?.slice(name.length + 1);
  const address = new URL(location.href);
  const token = address.searchParams.get("wx");
  const reached = address.href;
  if (token) {
    // Out of the address bar, so that a forwarded address makes no strangers one visitor.
    for (const part of ["wx", "wx_test", "wx_page"]) address.searchParams.delete(part);
    history.replaceState(history.state, "", address);
  }
  if (!own && !token) return;
  fetch(home + "/reached", { method: "POST", keepalive: true, credentials: "omit", body: JSON.stringify({ page: reached, visitor: own, wx: token }) })
    .then((answer) => (answer.status === 200 ? answer.json() : null))
    .then((answer) => {
      if (answer && !own) {
        const secure = location.protocol === "https:" ? "; secure" : "";
        document.cookie = `${name}=${answer.visitor}; max-age=34560000; path=/; samesite=lax${secure}`;
      }
    })
    .catch(() => {});
})();
