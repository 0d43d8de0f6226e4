(function (d, l, slug, home, page, own, wait) {
  var w = window, mark = "wx_moved_" + slug, now = Date.now(), moved, id, hide, timer, ask, done = false, late = false;
  if (w.wexilStart || /[?&]wx=/.test(l.search) || l.origin + l.pathname.replace(/\/$/, "") !== page) return;
  for (var i = 0, parts = own ? own.split("&") : []; i < parts.length; i++)
    if (("&" + l.search.slice(1) + "&").indexOf("&" + parts[i] + "&") < 0) return;
  w.wexilStart = function () {};
  try { moved = +sessionStorage.getItem(mark); } catch (e) { return; }
  if (moved && now - moved < 60000 &&
    (!d.referrer || d.referrer.indexOf(l.origin + "/") === 0 || d.referrer.indexOf(home + "/") === 0)) return;
  if (d.prerendering) d.addEventListener("prerenderingchange", begin, { once: true }); else begin();
  function show(what) { if (done) return; done = true; hide.remove(); dispatchEvent(new Event("resize"));
    navigator.sendBeacon(home + "/start/" + slug + "/stayed", what); }
  function begin() {
    {{visitor-id}}
    id = visitorId(d, w);
    hide = d.createElement("style");
    hide.textContent = "html{display:none!important}";
    d.documentElement.appendChild(hide);
    timer = setTimeout(function () { late = true; show("late " + id); }, wait);
    w.wexilStart = function (visitor, move, proof) {
      clearTimeout(timer);
      if (visitor) d.cookie = "wx_visitor=" + visitor + ";max-age=34560000;path=/;samesite=lax" +
    (l.protocol === "https:" ? ";secure" : "");
      if (late || done) return;
      if (!move) { show(proof || ""); return; }
      try { sessionStorage.setItem(mark, now); } catch (e) { show("late " + visitor); return; }
      done = true;
      l.replace(move + l.hash);
    };
    ask = d.createElement("script");
    ask.src = home + "/start/" + slug + ".js?wx=" + id + "&at=" + encodeURIComponent(l.search);
    ask.onerror = function () { show("late " + id); };
    d.head.appendChild(ask);
  }
})
