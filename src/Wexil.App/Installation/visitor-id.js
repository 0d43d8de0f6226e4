function visitorId(d, w, arrived) {
  var known = (/(?:^|; )wx_visitor=([\w-]{22})/.exec(d.cookie) || [])[1], bytes, text = "", time = Date.now(), i;
  if (known || arrived || w.wexilId || !w.crypto) return known || (arrived ? "" : w.wexilId) || "";
  bytes = w.crypto.getRandomValues(new Uint8Array(16));
  for (i = 5; i >= 0; i--) { bytes[i] = time % 256; time = Math.floor(time / 256); }
  bytes[6] = (bytes[6] & 15) | 112;
  bytes[8] = (bytes[8] & 63) | 128;
  for (i = 0; i < 16; i++) text += String.fromCharCode(bytes[i]);
  return (w.wexilId = btoa(text).replace(/\+/g, "-").replace(/\//g, "_").slice(0, 22));
}
