(function (d, l, key, home, wait) {
  var w = window, self = d.currentScript, known = (w.wexilSections = w.wexilSections || {}),
    done = false, id, hide, give;
  if (!self || known[key] || !w.fetch || !w.AbortController) return;
  known[key] = true;
  {{visitor-id}}
  id = visitorId(d, w, /[?&]wx=/.test(l.search));
  self.setAttribute("data-wexil-hides", key);
  hide = d.createElement("style");
  hide.textContent = 'script[data-wexil-hides="' + key + '"]+*{visibility:hidden!important}';
  d.head.appendChild(hide);
  give = new AbortController();
  function show(html, told) {
    var part = self.nextElementSibling;
    if (done) return;
    if (html !== null && d.readyState === "loading" && !(part && part.nextSibling)) {
      requestAnimationFrame(function () { show(html, told); });
      return;
    }
    done = true;
    if (html !== null && part) part.outerHTML = html;
    hide.remove();
    if (!/[?&]wx_versions=/.test(l.search)) navigator.sendBeacon(home + "/section/" + key + "/shown", told);
  }
  function late() { show(null, "late " + id); give.abort(); }
  function begin() {
    setTimeout(late, wait);
    fetch(home + "/section/" + key + "?wx=" + id + "&at=" + encodeURIComponent(l.search),
      { credentials: "include", signal: give.signal })
      .then(function (answer) { return answer.json(); })
      .then(function (answer) {
        if (answer.visitor) {
          d.cookie = "wx_visitor=" + answer.visitor + ";max-age=34560000;path=/;samesite=lax" +
            (l.protocol === "https:" ? ";secure" : "");
          d.dispatchEvent(new Event("wexil-visitor"));
        }
        show(answer.html, answer.told);
      })
      .catch(late);
  }
  if (d.prerendering) d.addEventListener("prerenderingchange", begin, { once: true }); else begin();
})
