// Pan and zoom of the map: one CSS transform on the whole drawing.

const LEAST = 0.66; // smaller text is unreadable
const LEAST_WHOLE = 0.56; // a little smaller, where the whole sheet is in sight then
const MOST_MARK = 1.7; // larger text would hide its surroundings

export class View {
  constructor(viewport, holder, key) {
    this.viewport = viewport;
    this.holder = holder;
    this.key = `view-${key}`;
    const kept = JSON.parse(sessionStorage.getItem(this.key) || "null");
    if (kept) [this.x, this.y, this.scale] = kept;
    else this.home();
    this.apply();
  }

  get sheet() {
    const svg = this.holder.querySelector("svg");
    return { width: svg.width.baseVal.value, height: svg.height.baseVal.value };
  }

  apply() {
    this.holder.style.transform = `translate(${this.x}px, ${this.y}px) scale(${this.scale})`;
    this.holder.style.setProperty("--mark", Math.min(MOST_MARK, Math.max(1, 1 / this.scale)));
    sessionStorage.setItem(this.key, JSON.stringify([this.x, this.y, this.scale]));
  }

  // Readable first: the whole sheet with its title block if text stays legible, else from the top left.
  home() {
    const { width, height } = this.sheet;
    const [across, down] = [(this.viewport.clientWidth - 16) / width, (this.viewport.clientHeight - 12) / height];
    const whole = Math.min(across, down);
    this.scale = Math.min(1.15, whole >= LEAST_WHOLE ? whole : Math.max(LEAST, across));
    this.x = 8;
    this.y = 6;
  }

  fit() {
    const { width, height } = this.sheet;
    this.scale = Math.min((this.viewport.clientWidth - 16) / width, (this.viewport.clientHeight - 12) / height, 1.4);
    this.x = 8;
    this.y = 6;
    this.apply();
  }

  pan(dx, dy) {
    this.x += dx;
    this.y += dy;
    this.hold();
    this.apply();
  }

  // Part of the drawing always stays in view.
  hold() {
    const { width, height } = this.sheet;
    this.x = Math.min(this.viewport.clientWidth - 80, Math.max(80 - width * this.scale, this.x));
    this.y = Math.min(this.viewport.clientHeight - 80, Math.max(80 - height * this.scale, this.y));
  }

  zoom(factor, at) {
    const box = this.viewport.getBoundingClientRect();
    const [px, py] = at ? [at.clientX - box.left, at.clientY - box.top] : [box.width / 2, box.height / 2];
    const scale = Math.min(3, Math.max(0.15, this.scale * factor));
    this.x = px - ((px - this.x) * scale) / this.scale;
    this.y = py - ((py - this.y) * scale) / this.scale;
    this.scale = scale;
    this.apply();
  }

  // Scrolls a box into view if it is not.
  show(rect) {
    const box = this.viewport.getBoundingClientRect();
    const margin = 40;
    let [dx, dy] = [0, 0];
    if (rect.left < box.left + margin) dx = box.left + margin - rect.left;
    if (rect.right > box.right - margin) dx = box.right - margin - rect.right;
    if (rect.top < box.top + margin) dy = box.top + margin - rect.top;
    if (rect.bottom > box.bottom - margin) dy = box.bottom - margin - rect.bottom;
    if (dx || dy) this.pan(dx, dy);
  }

  // Map coordinates of a pointer.
  point(event) {
    const box = this.viewport.getBoundingClientRect();
    return [(event.clientX - box.left - this.x) / this.scale, (event.clientY - box.top - this.y) / this.scale];
  }
}
