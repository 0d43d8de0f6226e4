(function (d, l, slug, home, page) {
  if (/[?&]wx=/.test(l.search) || l.origin + l.pathname.replace(/\/$/, "") !== page) return;
  var id = (/(?:^|; )wx_visitor=([\w-]{22})/.exec(d.cookie) || [])[1] || "", hide = d.createElement("style"), done = false, late = false;
  hide.textContent = "html{display:none!important}";
  d.documentElement.appendChild(hide);
  function show(what) { if (done) return; done = true; hide.remove(); dispatchEvent(new Event("resize")); navigator.sendBeacon(home + "/start/" + slug + "/stayed", what); }
  var timer = setTimeout(function () { late = true; show("late " + id); }, 300);
  window.wexilStart = function (visitor, move, proof) {
    clearTimeout(timer);
    if (visitor) d.cookie = "wx_visitor=" + visitor + ";max-age=34560000;path=/;samesite=lax" + (l.protocol === "https:" ? ";secure" : "");
    if (late || done) return;
    if (move) { done = true; l.replace(move + l.hash); } else show(proof || "");
  };
  var ask = d.createElement("script");
  ask.src = home + "/start/" + slug + ".js?wx=" + id + "&at=" + encodeURIComponent(l.search);
  ask.onerror = function () { show("late " + id); };
  d.head.appendChild(ask);
})
