// What a person did to the page and the server does not have yet, in order. One thing is under way at a time; it is
// sent until it is answered, under one name, so that nothing is done twice and nothing is dropped.
const TYPING_PAUSE = 400;
const TYPING_AT_MOST = 2000;
const FIRST_RETRY = 1000;
const LAST_RETRY = 10_000;
// Browsers finish what a page sends while it is being left, up to this size.
const KEPT_ALIVE = 60_000;

function name() {
  const bytes = crypto.getRandomValues(new Uint8Array(16));
  const hex = [...bytes].map((byte) => byte.toString(16).padStart(2, "0")).join("");
  return hex.replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, "$1-$2-$3-$4-$5");
}

export class EditQueue {
  #entries = [];
  #host;
  #token;
  #isRunning = false;
  #wake = () => {};
  #emptied = [];
  #holds = 0;
  #sittings = new Map();
  #withdrawn = null;

  // The host says what to send for an entry, takes each answer, and shows whether all is saved.
  constructor(host, token) {
    this.#host = host;
    this.#token = token;
    for (const event of ["online", "focus"]) addEventListener(event, () => this.#wake());
  }

  get isEmpty() {
    return this.#entries.length === 0 && this.#holds === 0;
  }

  // Something is on its way here and will be added behind what comes before it.
  hold() {
    this.#holds++;
    this.#host.status("saving");
  }

  release() {
    this.#holds--;
    if (!this.#isRunning) this.#settle();
  }

  add(entry) {
    this.#entries.push({ ...entry, token: name(), readyAt: 0 });
    this.#run();
  }

  // The page was loaded again and counts its sittings from the start: they are others than before.
  reloaded() {
    this.#sittings.clear();
  }

  // A text as it is now. While it waits, a newer one takes its place. False where the person has been asked about it:
  // what was typed before they saw that belongs to what they are asked.
  typed({ key, sitting, count, html, words, last }) {
    if (!this.#sittings.has(sitting)) this.#sittings.set(sitting, name());
    if (this.#sittings.get(sitting) === this.#withdrawn) return false;
    const now = Date.now();
    const newest = this.#entries.at(-1);
    const readyAt = last ? 0 : now + TYPING_PAUSE;
    if (newest?.kind === "text" && newest.sitting === this.#sittings.get(sitting) && !newest.isUnderWay)
      Object.assign(newest, { count, html, words, readyAt: Math.min(readyAt, newest.since + TYPING_AT_MOST) });
    else
      this.#entries.push({
        handler: "Edit",
        kind: "text",
        key,
        sitting: this.#sittings.get(sitting),
        count,
        html,
        words,
        token: name(),
        since: now,
        readyAt,
      });
    this.#run();
    return true;
  }

  // Takes the waiting words for a part out, to show them beside somebody else's; null when none wait.
  withdraw(key, sitting) {
    this.#withdrawn = sitting;
    const waiting = this.#entries.filter(
      (entry) => entry.kind === "text" && entry.key === key && entry.sitting === sitting && !entry.isUnderWay,
    );
    this.#entries = this.#entries.filter((entry) => !waiting.includes(entry));
    return waiting.at(-1) ?? null;
  }

  // Sends what waits for a pause in the typing at once.
  hurry() {
    for (const entry of this.#entries) entry.readyAt = 0;
    this.#wake();
  }

  // Completes when the server has everything.
  whenEmpty() {
    if (this.isEmpty && !this.#isRunning) return Promise.resolve();
    return new Promise((done) => {
      this.#emptied.push(done);
      this.hurry();
    });
  }

  async #run() {
    this.#host.status(this.isEmpty ? "saved" : "saving");
    this.#wake();
    if (this.#isRunning) return;
    this.#isRunning = true;
    while (this.#entries.length > 0) {
      const entry = this.#entries[0];
      while (this.#emptied.length === 0 && this.#entries.length === 1 && entry.readyAt > Date.now())
        await this.#pause(entry.readyAt - Date.now());
      entry.isUnderWay = true;
      const fields = this.#host.fields(entry);
      const answer = fields ? await this.#send(entry, fields) : null;
      this.#entries.shift();
      if (answer) await this.#host.answered(entry, answer);
    }
    this.#isRunning = false;
    this.#settle();
  }

  #settle() {
    if (!this.isEmpty) return;
    this.#host.status("saved");
    for (const done of this.#emptied.splice(0)) done();
  }

  async #send(entry, fields) {
    for (let wait = FIRST_RETRY; ; wait = Math.min(2 * wait, LAST_RETRY)) {
      const state = await this.#try(entry, fields);
      if (typeof state === "object") return state;
      this.#host.status(state);
      await this.#pause(wait);
      if (state === "signed-out") await this.#renew();
    }
  }

  // The answer, or why there is none yet.
  async #try(entry, fields) {
    const form = new FormData();
    const all = {
      ...fields,
      Token: entry.token,
      Sitting: entry.sitting ?? "",
      __RequestVerificationToken: this.#token,
    };
    let size = 0;
    for (const [field, value] of Object.entries(all)) {
      form.append(field, value);
      size += value.size ?? String(value).length * 3;
    }
    try {
      const response = await fetch(`?handler=${entry.handler}`, {
        method: "POST",
        body: form,
        redirect: "manual",
        keepalive: size < KEPT_ALIVE,
      });
      // A person who is not signed in any more is led to the sign-in; a token of an earlier sign-in is refused.
      if (response.type === "opaqueredirect" || response.status === 400 || response.status === 401) return "signed-out";
      if (!response.ok) return "refused";
      return await response.json();
    } catch {
      return "offline";
    }
  }

  async #renew() {
    try {
      const response = await fetch("?handler=Token", { redirect: "manual" });
      if (response.ok) this.#token = (await response.json()).token;
    } catch {
      // Still no connection: the next try says so.
    }
  }

  #pause(milliseconds) {
    return new Promise((done) => {
      const timer = setTimeout(done, milliseconds);
      this.#wake = () => {
        clearTimeout(timer);
        done();
      };
    });
  }

  get token() {
    return this.#token;
  }
}
