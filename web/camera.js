// Where the scene is seen from: parallel view, z up, by azimuth and elevation as the figures have them.
const degree = Math.PI / 180;
export const sides = {
  Corner: [-55, 28], Front: [-90, 0], Back: [90, 0], Left: [180, 0], Right: [0, 0], Top: [-90, 90], Bottom: [-90, -90],
};

export class Camera {
  constructor(changed) {
    this.view = {azimuth: -55, elevation: 28, target: [0, 0, 0], span: 1};
    this.past = [];
    this.changed = changed;
    this.flight = 0;
  }
  axes() {
    const {azimuth, elevation} = this.view, a = azimuth * degree, e = elevation * degree;
    const toward = [Math.cos(a) * Math.cos(e), Math.sin(a) * Math.cos(e), Math.sin(e)];
    const right = [-Math.sin(a), Math.cos(a), 0];
    const up = [toward[1] * right[2] - toward[2] * right[1], toward[2] * right[0] - toward[0] * right[2], toward[0] * right[1] - toward[1] * right[0]];
    return {right, up, toward};
  }
  copy() { return {...this.view, target: [...this.view.target]}; }
  remember() {
    const last = this.past[this.past.length - 1];
    if (last && JSON.stringify(last) === JSON.stringify(this.view)) return;
    this.past.push(this.copy());
    if (this.past.length > 100) this.past.shift();
  }
  back() {
    const last = this.past.pop();
    if (last) this.fly(last, false);
    return Boolean(last);
  }
  turn(azimuth, elevation) {
    cancelAnimationFrame(this.flight);
    this.view.azimuth = ((this.view.azimuth + azimuth + 540) % 360) - 180;
    this.view.elevation = Math.max(-90, Math.min(90, this.view.elevation + elevation));
    this.changed(true);
  }
  shift(dx, dy) {
    cancelAnimationFrame(this.flight);
    const {right, up} = this.axes();
    for (let k = 0; k < 3; ++k) this.view.target[k] -= dx * right[k] + dy * up[k];
    this.changed(true);
  }
  // About a point that stays where it is on the screen: `at` from the middle of it, in spans.
  zoom(factor, at = [0, 0]) {
    cancelAnimationFrame(this.flight);
    const {right, up} = this.axes(), s = this.view.span * (1 - factor);
    for (let k = 0; k < 3; ++k) this.view.target[k] += s * (at[0] * right[k] + at[1] * up[k]);
    this.view.span *= factor;
    this.changed(true);
  }
  fly(to, remember = true) {
    if (remember) this.remember();
    cancelAnimationFrame(this.flight);
    const from = this.copy(), goal = {...from, ...to};
    let turn = goal.azimuth - from.azimuth;
    if (turn > 180) turn -= 360;
    if (turn < -180) turn += 360;
    const still = window.matchMedia('(prefers-reduced-motion: reduce)').matches;
    const start = performance.now(), time = still ? 0 : 300;
    this.goal = goal;
    const step = (now) => {
      const t = time > 0 ? Math.min(1, (now - start) / time) : 1, s = t * t * (3 - 2 * t);
      this.view = {
        azimuth: from.azimuth + s * turn, elevation: from.elevation + s * (goal.elevation - from.elevation),
        target: from.target.map((v, k) => v + s * (goal.target[k] - v)), span: from.span * Math.pow(goal.span / from.span, s),
      };
      if (t >= 1) this.view = {...goal, target: [...goal.target]};
      this.changed(t < 1);
      if (t < 1) this.flight = requestAnimationFrame(step);
    };
    if (time > 0) this.flight = requestAnimationFrame(step);
    else step(start);
  }
  // Everything between two corners; `room`: width over height of the scene, and the share of the width on the left that tools cover.
  fit(low, high, {aspect, covered = 0}, remember = true, direction = {}) {
    const before = this.view;
    this.view = {...before, ...direction};
    const {right, up} = this.axes();
    let w = 0, h = 0;
    for (let k = 0; k < 3; ++k) w += Math.abs(right[k]) * (high[k] - low[k]), h += Math.abs(up[k]) * (high[k] - low[k]);
    this.view = before;
    const span = 1.12 * Math.max(h, w / (aspect * (1 - covered)), 1e-9), left = 0.5 * covered * aspect * span;
    this.fly({...direction, target: low.map((v, k) => (v + high[k]) / 2 - left * right[k]), span}, remember);
  }
}
