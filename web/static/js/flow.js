// The drawn links as a graph: what lies up and down the stream of a box, and how to light it.

const SOUND = new Set(["feed", "send", "tie"]);

export class Flow {
  constructor(wires) {
    this.wires = wires;
    this.out = new Map();
    this.into = new Map();
    for (const wire of wires) {
      push(this.out, wire.a, wire);
      push(this.into, wire.b, wire);
    }
    this.byRoute = new Map();
    for (const wire of wires) for (const route of wire.r) this.byRoute.set(route, wire);
  }

  // Sound goes on from a box; a key or a note only lights the line to it.
  around(id) {
    const boxes = new Set([id]);
    const wires = new Set();
    this.walk(id, this.out, "b", boxes, wires);
    this.walk(id, this.into, "a", boxes, wires);
    return { boxes, wires };
  }

  walk(id, edges, far, boxes, wires) {
    const seen = new Set([id]);
    const waiting = [id];
    while (waiting.length) {
      for (const wire of edges.get(waiting.pop()) || []) {
        wires.add(wire);
        boxes.add(wire[far]);
        if ((SOUND.has(wire.k) || (wire.k === "midi" && far === "a")) && !seen.has(wire[far])) {
          seen.add(wire[far]);
          waiting.push(wire[far]);
        }
      }
    }
  }
}

function push(map, key, value) {
  if (!map.has(key)) map.set(key, []);
  map.get(key).push(value);
}

export function path(wire, classes, drawn) {
  const line = document.createElementNS("http://www.w3.org/2000/svg", "path");
  line.setAttribute("d", "M" + wire.p.map(([x, y]) => `${x},${y}`).join("L"));
  line.setAttribute("class", classes);
  if (drawn) {
    const length = wire.p
      .slice(1)
      .reduce((sum, [x, y], n) => sum + Math.abs(x - wire.p[n][0]) + Math.abs(y - wire.p[n][1]), 0);
    line.style.setProperty("--length", length);
    line.classList.add("drawn");
  }
  return line;
}
