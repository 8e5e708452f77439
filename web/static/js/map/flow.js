// The drawn links as a graph: the elements up and down the stream of a box, and their highlighting.

const SOUND = new Set(["feed", "send", "tie"]);

export class Flow {
  constructor(wires) {
    this.wires = wires;
    this.out = new Map();
    this.into = new Map();
    for (const wire of wires) {
      push(this.out, wire.start, wire);
      push(this.into, wire.end, wire);
    }
    this.byRoute = new Map();
    for (const wire of wires) for (const route of wire.routes) this.byRoute.set(route, wire);
  }

  // Sound continues from a box; a key or a note highlights only the line to it.
  around(id) {
    const boxes = new Set([id]);
    const wires = new Set();
    this.walk(id, this.out, "end", boxes, wires);
    this.walk(id, this.into, "start", boxes, wires);
    return { boxes, wires };
  }

  walk(id, edges, far, boxes, wires) {
    const seen = new Set([id]);
    const waiting = [id];
    while (waiting.length) {
      for (const wire of edges.get(waiting.pop()) || []) {
        wires.add(wire);
        boxes.add(wire[far]);
        if ((SOUND.has(wire.kind) || (wire.kind === "midi" && far === "start")) && !seen.has(wire[far])) {
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

// A line through corners of the drawing; `drawn` animates it.
export function path(points, classes, drawn) {
  const line = document.createElementNS("http://www.w3.org/2000/svg", "path");
  line.setAttribute("d", `M${points.map(([x, y]) => `${x},${y}`).join("L")}`);
  line.setAttribute("class", classes);
  if (drawn) {
    const length = points
      .slice(1)
      .reduce((sum, [x, y], n) => sum + Math.abs(x - points[n][0]) + Math.abs(y - points[n][1]), 0);
    line.style.setProperty("--length", length);
    line.classList.add("drawn");
  }
  return line;
}
