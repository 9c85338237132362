// The roll of a day is moved in by keys: what is carried where, what is asked meanwhile, what the form says in the end.
import assert from "node:assert/strict";
import test from "node:test";
import { parseHTML } from "linkedom";

globalThis.document = { querySelector: () => null }; // no roll is on the page yet
const { roll } = await import("../roll.js");

const day = { top: 40, hour: 60, from: 8, until: 18, day: "2026-05-13", hands: [{ id: 1, x: 100, w: 80 }, { id: 2, x: 200, w: 80 }] };

// drawn is a page with a roll of one block, and what is sent from it.
async function drawn() {
  const { document, Event } = parseHTML(`<html><body><div id="trial" hidden></div><form id="moves"></form>
    <svg data-roll='${JSON.stringify(day)}'><a href="#" data-task="0412-1: sand 1" data-person="1" data-from="09:00"><rect height="60"></rect></a></svg></body></html>`);
  const asked = [], sent = [];
  const form = document.querySelector("#moves"), svg = document.querySelector("svg"), block = document.querySelector("[data-task]");
  form.requestSubmit = (b) => sent.push([b.formAction, [...form.querySelectorAll("input")].map((i) => [i.name, i.value])]);
  Object.assign(globalThis, { document, fetch: async (url) => (asked.push(url), { text: async () => "<p>Nothing gets late.</p>" }) });
  roll(svg);
  const key = (name, on = block) => on.dispatchEvent(Object.assign(new Event("keydown", { bubbles: true, cancelable: true }), { key: name }));
  return { document, asked, sent, key, svg, ghost: () => document.querySelector(".ghost") };
}
const settled = () => new Promise((done) => setTimeout(done, 120));

test("M takes it, arrows carry it by quarters of an hour to other hands, Enter puts it", async () => {
  const page = await drawn();
  page.key("m");
  assert.ok(page.ghost());
  page.key("ArrowDown");
  page.key("ArrowDown");
  page.key("ArrowRight");
  assert.equal(Number(page.ghost().getAttribute("y")), 40 + 60 * 1.5, "09:30");
  assert.equal(Number(page.ghost().getAttribute("x")), 205, "in the column of the other hands");
  await settled();
  assert.equal(page.asked.length, 1, "asked once it lies still");
  const q = new URL(page.asked[0], "http://studio").searchParams;
  assert.deepEqual([q.get("task"), q.get("person"), q.get("day"), q.get("at")], ["0412-1: sand 1", "2", "2026-05-13", "09:30"]);
  assert.match(page.document.querySelector("#trial").innerHTML, /Nothing gets late/);
  page.key("Enter");
  assert.deepEqual(page.sent, [["/plan/move", [["task", "0412-1: sand 1"], ["person", "2"], ["at", "09:30"]]]]);
  assert.equal(page.ghost(), null);
});

test("it stays within the day, and Escape leaves it where it was", async () => {
  const page = await drawn();
  page.key("m");
  for (let n = 0; n < 12; n++) page.key("ArrowUp");
  assert.equal(Number(page.ghost().getAttribute("y")), 40, "not before the day begins");
  for (let n = 0; n < 60; n++) page.key("ArrowDown");
  assert.equal(Number(page.ghost().getAttribute("y")), 40 + 60 * 9.75, "its beginning is within the day");
  page.key("ArrowLeft");
  page.key("Escape");
  assert.equal(page.ghost(), null);
  await settled();
  assert.equal(page.asked.length + page.sent.length, 0, "nothing was asked or sent");
});

test("put back where it was, nothing is sent; L locks it", async () => {
  const page = await drawn();
  page.key("m");
  page.key("ArrowDown");
  page.key("ArrowUp");
  page.key("Enter");
  assert.equal(page.sent.length, 0);
  page.key("l");
  assert.deepEqual(page.sent, [["/plan/lock", [["task", "0412-1: sand 1"]]]]);
});
