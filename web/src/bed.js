// A plate that is laid can be arranged: its pieces are moved and turned by pointer, finger or key,
// what comes too near is drawn so at once, and nothing is kept before it is said. Lengths are
// millimetres from the bed's lower left; where each piece lies stands in the fields of the form.
const svg = document.querySelector("svg[data-bed]");
if (svg) arrange(svg);

const TURN = 15; // degrees a key turns
const HAIR = 0.002; // less than any machine can tell

// turned is an outline about its origin by degrees, its box's lower left at 0, 0.
export function turned(outline, deg) {
  const quarter = deg % 90 === 0;
  const rad = (deg * Math.PI) / 180;
  const sin = quarter ? Math.round(Math.sin(rad)) : Math.sin(rad);
  const cos = quarter ? Math.round(Math.cos(rad)) : Math.cos(rad);
  const rings = outline.map((ring) => ring.map(([x, y]) => [x * cos - y * sin, x * sin + y * cos]));
  const [lx, ly] = box(rings);
  return rings.map((ring) => ring.map(([x, y]) => [x - lx, y - ly]));
}

function box(rings) {
  const b = [Infinity, Infinity, -Infinity, -Infinity];
  for (const ring of rings) for (const [x, y] of ring) {
    if (x < b[0]) b[0] = x;
    if (y < b[1]) b[1] = y;
    if (x > b[2]) b[2] = x;
    if (y > b[3]) b[3] = y;
  }
  return b;
}

// off2 is the square of how far a point lies off a line between two others.
function off2(p, a, b) {
  const dx = b[0] - a[0], dy = b[1] - a[1], l = dx * dx + dy * dy;
  const t = l ? Math.max(0, Math.min(1, ((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / l)) : 0;
  const ex = a[0] + t * dx - p[0], ey = a[1] + t * dy - p[1];
  return ex * ex + ey * ey;
}

function crosses(a, b, c, d) {
  const side = (p, q, r) => (q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]);
  return side(a, b, c) * side(a, b, d) < 0 && side(c, d, a) * side(c, d, b) < 0;
}

function inside(rings, p) {
  let is = false;
  for (const ring of rings) ring.forEach((a, i) => {
    const b = ring[(i + 1) % ring.length];
    if (a[1] <= p[1] !== b[1] <= p[1] && p[0] < a[0] + ((b[0] - a[0]) * (p[1] - a[1])) / (b[1] - a[1])) is = !is;
  });
  return is;
}

// nearer reports whether two pieces where they lie come nearer than so many millimetres; the
// server measures alike before anything is kept.
export function nearer(a, b, mm) {
  const [p, q] = [a.box, b.box];
  if (p[0] - mm >= q[2] || q[0] - mm >= p[2] || p[1] - mm >= q[3] || q[1] - mm >= p[3]) return false;
  const within = (edges, o) => edges.filter(([u, v]) => Math.max(u[0], v[0]) + mm > o[0] && Math.min(u[0], v[0]) - mm < o[2] && Math.max(u[1], v[1]) + mm > o[1] && Math.min(u[1], v[1]) - mm < o[3]);
  const theirs = within(b.edges, p);
  for (const [u, v] of within(a.edges, q)) for (const [c, d] of theirs) {
    if (crosses(u, v, c, d) || Math.min(off2(u, c, d), off2(v, c, d), off2(c, u, v), off2(d, u, v)) < mm * mm) return true;
  }
  return inside(a.on, b.on[0][0]) || inside(b.on, a.on[0][0]);
}

function arrange(svg) {
  const bed = JSON.parse(svg.dataset.bed);
  const form = document.getElementById("arrange"), word = document.getElementById("arranged");
  const field = (code, name) => form.querySelector(`[name="${name}[${code}]"]`);
  const pieces = new Map(bed.pieces.map((p) => [p.code, { ...p, g: svg.querySelector(`[data-piece="${CSS.escape(p.code)}"]`) }]));
  const back = [], again = [];
  const free = (bed.kept_free ?? []).map(([x, y, w, d]) => {
    const ring = [[x, y], [x + w, y], [x + w, y + d], [x, y + d]];
    return { on: [ring], box: [x, y, x + w, y + d], edges: ring.map((u, i) => [u, ring[(i + 1) % 4]]) };
  });
  let chosen = null, drag = null;

  const state = () => JSON.stringify([...pieces.values()].map((p) => [p.code, p.x, p.y, p.angle, p.locked]));
  const first = state();
  const brought = new Map(); // pieces that were not on the plate, and may be again
  const restore = (text) => {
    const was = new Map(JSON.parse(text).map(([code, ...at]) => [code, at]));
    for (const p of brought.values()) was.has(p.code) ? put(p) : lose(p);
    for (const [code, [x, y, angle, locked]] of was) Object.assign(pieces.get(code), { x, y, angle, locked });
    pieces.forEach(place);
    judge(...pieces.values());
  };
  const did = (before, ...moved) => { if (before !== state()) { back.push(before); again.length = 0; } judge(...moved); };

  // place draws a piece where it lies.
  function place(p) {
    p.at = turned(p.outline, p.angle);
    p.on = p.at.map((ring) => ring.map(([x, y]) => [x + p.x, y + p.y]));
    p.box = box(p.on);
    p.edges = p.on.flatMap((ring) => ring.map((u, i) => [u, ring[(i + 1) % ring.length]]));
    const sx = (x) => (bed.left + x * bed.k).toFixed(1), sy = (y) => (bed.bottom - y * bed.k).toFixed(1);
    p.g.querySelector("path").setAttribute("d", p.on.map((ring) => "M" + ring.map(([x, y]) => `${sx(x)} ${sy(y)}`).join("L") + "Z").join(""));
    p.g.querySelector("g").setAttribute("transform", `translate(${sx((p.box[0] + p.box[2]) / 2)} ${sy((p.box[1] + p.box[3]) / 2)})`);
    p.g.classList.toggle("held", p.locked);
  }

  // Of each piece: what it lies on that it must not, and which others it comes too near to.
  const off = new Map(), near = new Map([...pieces.keys()].map((code) => [code, new Set()]));

  // measure finds again what is wrong with where one piece lies.
  function measure(p) {
    const m = bed.margin + p.skirt - HAIR;
    off.set(p.code, p.box[0] < m || p.box[1] < m || p.box[2] > bed.width - m || p.box[3] > bed.depth - m ? "leaves the bed"
      : free.some((o) => nearer(p, o, bed.spacing + p.skirt - HAIR)) ? "lies where the bed must stay free" : "");
    for (const code of near.get(p.code)) near.get(code).delete(p.code);
    near.get(p.code).clear();
    for (const o of pieces.values()) if (o !== p && nearer(p, o, bed.spacing + p.skirt + o.skirt - HAIR)) {
      near.get(p.code).add(o.code);
      near.get(o.code).add(p.code);
    }
  }

  // judge marks what lies where it must not, and says whether this can be kept; only what was moved
  // is measured again.
  function judge(...moved) {
    moved.forEach(measure);
    let wrong = "";
    for (const p of pieces.values()) {
      const [other] = near.get(p.code);
      const why = off.get(p.code) ? `${p.code} ${off.get(p.code)}` : other ? `${p.code} and ${other} come too near` : "";
      p.g.classList.toggle("clash", !!why);
      wrong ||= why;
    }
    const changed = state() !== first;
    for (const p of moved) {
      field(p.code, "x").value = +p.x.toFixed(3);
      field(p.code, "y").value = +p.y.toFixed(3);
      field(p.code, "angle").value = +p.angle.toFixed(2);
      field(p.code, "locked").checked = p.locked;
    }
    word.textContent = wrong ? `${wrong}.` : changed ? "Moved; not kept yet." : "Drag a piece, or choose it and use the arrows.";
    word.classList.toggle("late", !!wrong);
    form.querySelector("[data-keepit]").disabled = !!wrong || !changed;
    form.querySelector("[data-do=back]").disabled = !back.length;
    form.querySelector("[data-do=again]").disabled = !again.length;
    form.querySelectorAll("[data-one]").forEach((b) => { b.disabled = !chosen; });
  }

  function choose(p) {
    chosen = p;
    pieces.forEach((o) => o.g.classList.toggle("chosen", o === p));
  }
  // turn keeps the middle of the piece where it is.
  function turn(p, deg) {
    const [mx, my] = [(p.box[0] + p.box[2]) / 2, (p.box[1] + p.box[3]) / 2];
    p.angle = (((p.angle + deg) % 360) + 360) % 360;
    const [, , w, d] = box(turned(p.outline, p.angle));
    Object.assign(p, { x: mx - w / 2, y: my - d / 2 });
    place(p);
  }
  const acts = {
    left: (p) => turn(p, TURN),
    right: (p) => turn(p, -TURN),
    hold: (p) => { p.locked = !p.locked; place(p); },
    back: () => { if (back.length) { again.push(state()); restore(back.pop()); } },
    again: () => { if (again.length) { back.push(state()); restore(again.pop()); } },
  };
  function act(name) {
    if (name === "back" || name === "again") { acts[name](); return; }
    if (!chosen) return;
    const before = state();
    acts[name](chosen);
    did(before, chosen);
  }

  // mm is where on the bed a pointer is.
  function mm(e) {
    const at = new DOMPoint(e.clientX, e.clientY).matrixTransform(svg.getScreenCTM().inverse());
    return [(at.x - bed.left) / bed.k, (bed.bottom - at.y) / bed.k];
  }
  function wire(p) {
    place(p);
    p.g.addEventListener("pointerdown", (e) => {
      if (e.button) return;
      if (p.g.nextElementSibling) p.g.parentNode.append(p.g); // on top of the others; it loses the focus by that
      choose(p);
      p.g.focus({ preventScroll: true });
      judge();
      if (p.locked) return;
      const [x, y] = mm(e);
      drag = { p, dx: p.x - x, dy: p.y - y, before: state() };
      p.g.setPointerCapture(e.pointerId);
      e.preventDefault();
    });
    p.g.addEventListener("touchmove", (e) => { if (drag) e.preventDefault(); }, { passive: false }); // the sheet stays where it is
    p.g.addEventListener("pointermove", (e) => {
      if (drag?.p !== p) return;
      const [x, y] = mm(e);
      p.x = x + drag.dx;
      p.y = y + drag.dy;
      place(p);
      judge(p);
    });
    for (const end of ["pointerup", "pointercancel"]) p.g.addEventListener(end, () => {
      if (drag?.p !== p) return;
      const { before } = drag;
      drag = null;
      did(before, p);
    });
    p.g.addEventListener("focus", () => { choose(p); judge(); });
    p.g.addEventListener("keydown", (e) => {
      const step = e.shiftKey ? 10 : e.altKey ? 0.1 : 1;
      const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[e.key];
      const before = state();
      if (way && !p.locked) {
        p.x += way[0] * step;
        p.y += way[1] * step;
        place(p);
      } else if (e.key === "t" || e.key === "T") turn(p, e.shiftKey ? -TURN : TURN);
      else if (e.key === "h") acts.hold(p);
      else if (e.key === "Delete") document.querySelector(`form[data-lift="${CSS.escape(p.code)}"]`)?.requestSubmit();
      else return;
      e.preventDefault();
      did(before, p);
    });
  }
  pieces.forEach(wire);

  // put lays a piece that waits on the plate; lose takes it off again.
  function put(p) {
    if (pieces.has(p.code)) return;
    pieces.set(p.code, p);
    near.set(p.code, new Set());
    svg.append(p.g);
    form.querySelector("tbody").append(p.row);
    p.handle.hidden = true;
  }
  function lose(p) {
    if (!pieces.delete(p.code)) return;
    for (const code of near.get(p.code)) near.get(code).delete(p.code);
    near.delete(p.code);
    off.delete(p.code);
    p.g.remove();
    p.row.remove();
    p.handle.hidden = false;
    if (chosen === p) chosen = null;
  }
  // drawn is a piece of the drawing for one that waits, with its fields.
  function drawn(c, handle) {
    const g = document.createElementNS("http://www.w3.org/2000/svg", "g");
    g.setAttribute("class", "piece");
    g.setAttribute("tabindex", "0");
    g.setAttribute("role", "button");
    g.setAttribute("data-piece", c.code);
    g.setAttribute("aria-label", `${c.code}, brought onto the plate: arrows move it, T turns it, H holds it`);
    g.innerHTML = `<path fill="var(--paper2)" fill-rule="evenodd" stroke="var(--ink)" stroke-width="1.2"/><g aria-hidden="true"><rect x="-13" y="-9" width="26" height="17" fill="var(--paper)"/><text y="4.5" text-anchor="middle" font-size="12.5" font-weight="600">${c.label}</text><text class="heldsign" y="-12" text-anchor="middle" font-size="11">held</text></g>`;
    const row = document.createElement("tr");
    const number = (name) => `<td><input name="${name}[${c.code}]" class="max-w-[92px]" inputmode="decimal" aria-label="${name} of ${c.code}"></td>`;
    row.innerHTML = `<td class="fig">${c.code}</td>${number("x")}${number("y")}${number("angle")}<td><input type="checkbox" name="locked[${c.code}]" value="1" aria-label="${c.code} is held"></td>`;
    const p = { ...c, angle: 0, locked: false, g, row, handle };
    wire(p);
    brought.set(c.code, p);
    return p;
  }
  for (const c of bed.candidates ?? []) {
    const handle = document.querySelector(`[data-bring="${CSS.escape(c.code)}"]`);
    if (!handle) continue;
    handle.hidden = false;
    handle.addEventListener("pointerdown", (e) => {
      if (e.button) return;
      const before = state(), p = brought.get(c.code) ?? drawn(c, handle);
      const [, , w, d] = box(p.at);
      const move = (e) => {
        const [x, y] = mm(e);
        Object.assign(p, { x: x - w / 2, y: y - d / 2 });
        place(p);
        judge(p);
      };
      const end = () => {
        handle.removeEventListener("pointermove", move);
        handle.removeEventListener("pointerup", end);
        handle.removeEventListener("pointercancel", end);
        const [l, b, r, t] = p.box;
        if (r < 0 || t < 0 || l > bed.width || b > bed.depth) { // let go beside the bed
          lose(p);
          judge();
          return;
        }
        did(before, p);
        p.g.focus({ preventScroll: true });
      };
      put(p);
      choose(p);
      handle.setPointerCapture(e.pointerId);
      handle.hidden = false; // it carries the pointer until it is let go
      handle.addEventListener("pointermove", move);
      handle.addEventListener("pointerup", () => { handle.hidden = pieces.has(p.code); }, { once: true });
      handle.addEventListener("pointerup", end);
      handle.addEventListener("pointercancel", end);
      move(e);
      e.preventDefault();
    });
  }
  svg.addEventListener("keydown", (e) => {
    if (!(e.ctrlKey || e.metaKey) || e.key.toLowerCase() !== "z") return;
    e.preventDefault();
    act(e.shiftKey ? "again" : "back");
  });
  form.addEventListener("click", (e) => { const name = e.target.closest("[data-do]")?.dataset.do; if (name) act(name); });
  form.addEventListener("change", (e) => { // a number that is typed moves it, too
    const [, name, code] = e.target.name?.match(/^(\w+)\[(.+)\]$/) ?? [];
    const p = pieces.get(code);
    if (!p) return;
    const before = state();
    if (name === "locked") p.locked = e.target.checked;
    else {
      const n = Number(e.target.value.replace(",", "."));
      if (Number.isFinite(n)) p[name] = n;
    }
    place(p);
    did(before, p);
  });
  let kept = false;
  form.addEventListener("submit", () => { kept = true; });
  addEventListener("beforeunload", (e) => { if (!kept && state() !== first) e.preventDefault(); });
  judge(...pieces.values());
}
