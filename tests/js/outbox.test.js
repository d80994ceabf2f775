import assert from "node:assert/strict";
import { test } from "node:test";
import { Outbox } from "../../drumbo/web/static/js/outbox.js";

/** A server that answers when it is told to. */
function slowServer() {
  const asked = [];
  const send = (url, values) =>
    new Promise((answer, refuse) => {
      asked.push({ url, values, answer: (text) => answer({ text, headers: new Headers() }), refuse });
    });
  return { asked, send };
}

const turn = () => new Promise((done) => setTimeout(done));

test("they go out one after the other, and the page is renewed once, from the last answer", async () => {
  const { asked, send } = slowServer();
  const renewed = [];
  const box = new Outbox(send, (text) => renewed.push(text));
  box.put("/score", { step: 0 });
  const last = box.put("/score", { step: 1 });
  await turn();
  assert.equal(asked.length, 1);
  asked[0].answer("first");
  await turn();
  assert.equal(asked.length, 2);
  assert.deepEqual(asked[1].values, { step: 1 });
  assert.deepEqual(renewed, []);
  asked[1].answer("second");
  await last;
  assert.deepEqual(renewed, ["second"]);
});

test("one that fails is told and holds up none behind it", async () => {
  const { asked, send } = slowServer();
  const told = [];
  const box = new Outbox(send, () => told.push("renewed"));
  box.put("/score", { step: 0 }, { failed: (error) => told.push(error.message), kept: () => told.push("kept 0") });
  const last = box.put("/score", { step: 1 }, { kept: () => told.push("kept 1") });
  await turn();
  asked[0].refuse(new Error("no such step"));
  await turn();
  asked[1].answer("page");
  await last;
  assert.deepEqual(told, ["no such step", "kept 1", "renewed"]);
});
