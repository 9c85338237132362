// The roll of a day is moved in: a task is dragged, or taken with M and carried by the arrows, to
// other hands or another time. What that would come to is told while it is on its way; nothing is
// kept before it is let go.
const svg = document.querySelector("svg[data-roll]");
if (svg) roll(svg);

const STEP = 15; // minutes that a task is moved by
const FAR = 6; // pixels from which on a press is a drag

export function roll(svg) {
  const day = JSON.parse(svg.dataset.roll);
  const told = document.querySelector("#trial"), form = document.querySelector("#moves");
  let held = null; // what is on its way: { block, ghost, person, minute, long, dy }
  let asked = 0, wait = 0;

  const y = (minute) => day.top + (day.hour * (minute - 60 * day.from)) / 60;
  const clock = (m) => `${String(Math.floor(m / 60)).padStart(2, "0")}:${String(m % 60).padStart(2, "0")}`;
  const minuteOf = (text) => { const [h, m] = text.split(":"); return 60 * Number(h) + Number(m); };
  const query = (h) => {
    const q = new URLSearchParams();
    for (const key of h.block.dataset.task.split("\n")) q.append("task", key);
    q.set("person", h.person);
    q.set("day", day.day);
    q.set("at", clock(h.minute));
    return q;
  };

  // take lifts a block: a ghost of it goes where it would lie.
  function take(block, dy = 0) {
    const r = block.querySelector("rect");
    const ghost = document.createElementNS("http://www.w3.org/2000/svg", "rect");
    const tall = Number(r.getAttribute("height"));
    ghost.setAttribute("class", "ghost");
    ghost.setAttribute("height", Math.max(12, tall));
    svg.append(ghost);
    held = { block, ghost, person: Number(block.dataset.person), minute: minuteOf(block.dataset.from), dy, from: block.dataset.from, who: block.dataset.person };
    svg.classList.add("moving");
    draw();
  }
  function draw() {
    const hands = day.hands.find((h) => h.id === held.person) ?? day.hands[0];
    held.ghost.setAttribute("x", hands.x + 5);
    held.ghost.setAttribute("width", hands.w - 10);
    held.ghost.setAttribute("y", y(held.minute));
    clearTimeout(wait);
    wait = setTimeout(ask, 70);
  }
  // ask has the studio plan it so, and tells what gets late.
  async function ask() {
    if (!held) return;
    const mine = ++asked;
    const answer = await fetch(`/plan/try?${query(held)}`, { headers: { "HX-Request": "true" } }).catch(() => null);
    if (mine !== asked || !held) return;
    told.hidden = false;
    told.innerHTML = answer ? await answer.text() : "<p class=late>The studio’s computer does not answer.</p>";
  }
  function drop() {
    const put = held;
    release();
    if (put.minute === minuteOf(put.from) && String(put.person) === put.who) return;
    form.querySelectorAll("[data-put]").forEach((el) => el.remove());
    for (const [name, value] of query(put)) {
      if (name === "day") continue;
      form.append(Object.assign(document.createElement("input"), { type: "hidden", name, value }));
      form.lastChild.dataset.put = "";
    }
    send("/plan/move");
  }
  function release() {
    clearTimeout(wait);
    asked++;
    held?.ghost.remove();
    held = null;
    svg.classList.remove("moving");
    told.hidden = true;
  }
  // send has the form say what was done.
  function send(action) {
    const b = Object.assign(document.createElement("button"), { hidden: true, formAction: action });
    form.append(b);
    form.requestSubmit(b);
    b.remove();
  }

  const at = (e) => new DOMPoint(e.clientX, e.clientY).matrixTransform(svg.getScreenCTM().inverse());
  for (const block of svg.querySelectorAll("[data-task]")) {
    let pressed = null, dragged = false;
    block.addEventListener("dragstart", (e) => e.preventDefault());
    block.addEventListener("touchmove", (e) => e.preventDefault(), { passive: false }); // the sheet stays where it is
    block.addEventListener("pointerdown", (e) => {
      if (e.button) return;
      pressed = { x: e.clientX, y: e.clientY, dy: at(e).y - y(minuteOf(block.dataset.from)) };
      dragged = false;
      block.setPointerCapture(e.pointerId);
    });
    block.addEventListener("pointermove", (e) => {
      if (!pressed) return;
      if (!dragged && Math.hypot(e.clientX - pressed.x, e.clientY - pressed.y) < FAR) return;
      if (!dragged) { dragged = true; take(block, pressed.dy); }
      if (!held) return; // given up meanwhile
      const p = at(e);
      const minute = 60 * day.from + ((p.y - held.dy - day.top) / day.hour) * 60;
      held.minute = Math.max(60 * day.from, Math.min(60 * day.until - STEP, Math.round(minute / STEP) * STEP));
      const over = day.hands.find((h) => p.x >= h.x && p.x < h.x + h.w);
      if (over) held.person = over.id;
      draw();
    });
    block.addEventListener("pointerup", () => { pressed = null; if (dragged && held) drop(); });
    block.addEventListener("pointercancel", () => { pressed = null; if (held) release(); });
    block.addEventListener("click", (e) => { if (dragged) { e.preventDefault(); dragged = false; } });
  }

  svg.addEventListener("keydown", (e) => {
    if (e.ctrlKey || e.metaKey || e.altKey) return;
    if (held) {
      const k = day.hands.findIndex((h) => h.id === held.person);
      const acts = {
        ArrowUp: () => { held.minute = Math.max(60 * day.from, Math.ceil(held.minute / STEP) * STEP - STEP); },
        ArrowDown: () => { held.minute = Math.min(60 * day.until - STEP, Math.floor(held.minute / STEP) * STEP + STEP); },
        ArrowLeft: () => { held.person = day.hands[Math.max(0, k - 1)].id; },
        ArrowRight: () => { held.person = day.hands[Math.min(day.hands.length - 1, k + 1)].id; },
      };
      if (acts[e.key]) { acts[e.key](); draw(); } else if (e.key === "Enter" || e.key === "m") drop();
      else if (e.key === "Escape") release();
      else return;
      e.preventDefault();
      return;
    }
    const block = e.target.closest("[data-task]");
    if (e.key === "ArrowDown" || e.key === "ArrowUp") {
      const all = [...svg.querySelectorAll("a")], i = all.indexOf(e.target.closest("a"));
      all[Math.max(0, Math.min(all.length - 1, i + (e.key === "ArrowDown" ? 1 : -1)))]?.focus();
      e.preventDefault();
    } else if (block && e.key === "m") {
      take(block);
      e.preventDefault();
    } else if (block && e.key === "l") {
      for (const value of block.dataset.task.split("\n")) {
        form.append(Object.assign(document.createElement("input"), { type: "hidden", name: "task", value }));
      }
      send("moved" in block.dataset ? "/plan/free" : "/plan/lock");
      e.preventDefault();
    }
  });
  document.addEventListener("keydown", (e) => { if (e.key === "Escape" && held) release(); });
}
