import test from "node:test";
import assert from "node:assert/strict";

const heard = new Map();
globalThis.addEventListener = (event, act) => heard.set(event, act);
const { EditQueue } = await import("../../src/Wexil.Web/Studio/Build/edit-queue.js");

// A server that answers in order, or as it is told to, and what it was sent.
function server(answers = []) {
  const sent = [];
  globalThis.fetch = async (address, { body } = {}) => {
    if (address === "?handler=Token") return { ok: true, json: async () => ({ token: "renewed" }) };
    sent.push({ address, ...Object.fromEntries(body.entries()) });
    const answer = answers.shift() ?? "ok";
    if (answer === "offline") throw new TypeError("no connection");
    if (answer === "signed-out") return { type: "opaqueredirect", ok: false, status: 0 };
    if (answer === "refused") return { ok: false, status: 500 };
    return { ok: true, status: 200, json: async () => ({ revision: sent.length }) };
  };
  return sent;
}

function open() {
  const states = [];
  const answered = [];
  const queue = new EditQueue(
    {
      status: (state) => states.at(-1) !== state && states.push(state),
      fields: (entry) => (entry.isGone ? null : { ...entry.fields, html: entry.html ?? "" }),
      answered: async (entry, answer) => answered.push([entry.handler, answer.revision]),
    },
    "token",
  );
  return { queue, states, answered };
}

test("edits go out one after the other, in order, each under a name of its own", async () => {
  const sent = server();
  const { queue, states, answered } = open();
  for (const at of [1, 2, 3]) queue.add({ handler: "Edit", fields: { at } });
  assert.ok(!queue.isEmpty);
  await queue.whenEmpty();
  assert.deepEqual(
    sent.map(({ at }) => at),
    ["1", "2", "3"],
  );
  assert.deepEqual(answered, [
    ["Edit", 1],
    ["Edit", 2],
    ["Edit", 3],
  ]);
  assert.equal(new Set(sent.map(({ Token }) => Token)).size, 3);
  assert.ok(sent.every(({ Token }) => /^[\da-f]{8}(-[\da-f]{4}){3}-[\da-f]{12}$/.test(Token)));
  assert.deepEqual(states, ["saving", "saved"]);
});

for (const [trouble, says] of [
  ["offline", "offline"],
  ["refused", "refused"],
  ["signed-out", "signed-out"],
]) {
  test(`what is not taken (${trouble}) is sent again under the same name until it is`, async () => {
    const sent = server([trouble]);
    const { queue, states, answered } = open();
    queue.add({ handler: "Edit", fields: {} });
    await queue.whenEmpty();
    assert.equal(sent.length, 2);
    assert.equal(sent[0].Token, sent[1].Token);
    assert.equal(answered.length, 1);
    assert.deepEqual(states, ["saving", says, "saved"]);
    assert.equal(sent[1].__RequestVerificationToken, trouble === "signed-out" ? "renewed" : "token");
  });
}

test("words that wait are replaced by newer ones of the same sitting, and those of another follow behind", async () => {
  const sent = server();
  const { queue } = open();
  queue.typed({ key: 1, sitting: 1, count: 1, html: "A", words: "A" });
  queue.typed({ key: 1, sitting: 1, count: 2, html: "Ab", words: "Ab" });
  queue.typed({ key: 1, sitting: 1, count: 3, html: "Abc", words: "Abc", last: true });
  queue.typed({ key: 2, sitting: 2, count: 4, html: "x", words: "x", last: true });
  await queue.whenEmpty();
  assert.equal(sent.at(-2).html, "Abc");
  assert.equal(sent.at(-1).html, "x");
  assert.ok(sent.length <= 3);
  assert.notEqual(sent.at(-1).Sitting, sent.at(-2).Sitting);
});

test("words that wait while somebody else is said to have changed the text are given back and not sent", async () => {
  const sent = server();
  const answer = globalThis.fetch;
  let arrives;
  const arrived = new Promise((done) => (arrives = done));
  globalThis.fetch = async (...all) => {
    arrives();
    return answer(...all);
  };
  const given = [];
  const queue = new EditQueue(
    {
      status: () => {},
      fields: ({ html }) => ({ html }),
      answered: async (entry) => given.push(queue.withdraw(entry.key, entry.sitting)),
    },
    "token",
  );
  queue.typed({ key: 1, sitting: 1, count: 1, html: "first", words: "first", last: true });
  await arrived;
  queue.typed({ key: 1, sitting: 1, count: 2, html: "second", words: "second" });
  queue.typed({ key: 2, sitting: 2, count: 3, html: "other", words: "other", last: true });
  await queue.whenEmpty();
  assert.deepEqual(
    sent.map(({ html }) => html),
    ["first", "other"],
  );
  assert.deepEqual(
    given.map((entry) => entry?.words ?? null),
    ["second", null],
  );
});

test("what is typed before a person sees the question belongs to it, and what is typed after is sent", async () => {
  const sent = server();
  const queue = new EditQueue(
    {
      status: () => {},
      fields: ({ html }) => ({ html }),
      answered: async (entry) => entry.sitting && entry.count === 1 && queue.withdraw(entry.key, entry.sitting),
    },
    "token",
  );
  const type = (sitting, count, html) => queue.typed({ key: 1, sitting, count, html, words: html, last: true });
  assert.equal(type(1, 1, "first"), true);
  await queue.whenEmpty();
  assert.equal(type(1, 2, "first letters"), false);
  assert.equal(type(2, 3, "again"), true);
  await queue.whenEmpty();
  // A page that was loaded again counts from the start.
  queue.reloaded();
  assert.equal(type(1, 4, "later"), true);
  await queue.whenEmpty();
  assert.deepEqual(
    sent.map(({ html }) => html),
    ["first", "again", "later"],
  );
  assert.notEqual(sent[0].Sitting, sent[2].Sitting);
});

test("an entry whose part is gone is dropped, and what comes behind it still goes", async () => {
  const sent = server();
  const { queue, answered } = open();
  queue.add({ handler: "Edit", isGone: true });
  queue.add({ handler: "Undo", fields: {} });
  await queue.whenEmpty();
  assert.deepEqual(
    sent.map(({ address }) => address),
    ["?handler=Undo"],
  );
  assert.equal(answered.length, 1);
});

test("while it is held it is not empty, and nobody is told that all is saved", async () => {
  server();
  const { queue, states } = open();
  queue.hold();
  assert.ok(!queue.isEmpty);
  queue.add({ handler: "Edit", fields: {} });
  await new Promise((done) => setTimeout(done, 20));
  assert.ok(!states.includes("saved"));
  queue.release();
  await queue.whenEmpty();
  assert.equal(states.at(-1), "saved");
});
