// What the pointer and the keys do in the scene: turn, pick, mark by a box, measure, cut.
import {figure, placeText} from 'halvo/content';
import {sides} from 'halvo/camera';
import {isResult} from 'halvo/colours';

const $ = (id) => document.getElementById(id);
// Where the numbers of shells, beams and faces begin in what is picked.
export const ids = {shell: 1, beam: 4194304, solid: 8388608};

export class Hands {
  pointers() {
    const canvas = $('scene'), down = new Map();
    let last = null, moved = 0, boxFrom = null;
    const at = (e) => { const r = canvas.getBoundingClientRect(); return [e.clientX - r.left, e.clientY - r.top]; };
    const cam = this.scene.camera;
    canvas.onpointerdown = (e) => {
      if (this.pointing === false) return;
      canvas.setPointerCapture(e.pointerId), canvas.focus({preventScroll: true});
      down.set(e.pointerId, at(e)), moved = 0, last = null;
      if (e.shiftKey || this.mode === 'box') boxFrom = at(e);
      else cam.remember();
    };
    canvas.onpointermove = (e) => {
      if (!down.has(e.pointerId)) return;
      const from = down.get(e.pointerId), to = at(e), dx = to[0] - from[0], dy = to[1] - from[1], scale = cam.view.span / this.scene.height;
      moved += Math.abs(dx) + Math.abs(dy);
      if (boxFrom) return this.drawBox(boxFrom, to);
      down.set(e.pointerId, to);
      if (down.size === 2) {
        const [a, b] = [...down.values()], d = Math.hypot(a[0] - b[0], a[1] - b[1]), c = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
        if (last) cam.zoom(last.d / Math.max(d, 1)), cam.shift((c[0] - last.c[0]) * scale, (last.c[1] - c[1]) * scale);
        last = {d, c};
      } else if (e.buttons & 2 || e.buttons & 4 || e.ctrlKey) cam.shift(dx * scale, -dy * scale);
      else cam.turn(-0.4 * dx, 0.4 * dy);
      if (this.cut.axis === 'view') this.setCut();
    };
    const up = (e) => {
      if (!down.has(e.pointerId)) return;
      down.delete(e.pointerId), last = null;
      if (boxFrom) {
        const to = at(e), from = boxFrom;
        boxFrom = null, $('box').hidden = true;
        if (moved > 6) return this.selectBox(from, to);
      }
      if (e.type === 'pointerup' && moved < 4) this.click(...at(e));
    };
    canvas.onpointerup = up, canvas.onpointercancel = up;
    canvas.oncontextmenu = (e) => e.preventDefault();
    canvas.addEventListener('wheel', (e) => {
      e.preventDefault();
      const [x, y] = at(e);
      cam.zoom(Math.exp(Math.max(-0.4, Math.min(0.4, e.deltaY * 0.0012))), [(x - this.scene.width / 2) / this.scene.height, (this.scene.height / 2 - y) / this.scene.height]);
    }, {passive: false});
  }
  drawBox(a, b) {
    Object.assign($('box').style, {left: Math.min(a[0], b[0]) + 'px', top: Math.min(a[1], b[1]) + 'px', width: Math.abs(a[0] - b[0]) + 'px', height: Math.abs(a[1] - b[1]) + 'px'});
    $('box').hidden = false;
  }
  selectBox(a, b) {
    const x = Math.max(0, Math.round(Math.min(a[0], b[0]))), y = Math.max(0, Math.round(Math.min(a[1], b[1])));
    const w = Math.max(1, Math.min(this.scene.width - x, Math.round(Math.abs(a[0] - b[0])))), h = Math.max(1, Math.min(this.scene.height - y, Math.round(Math.abs(a[1] - b[1]))));
    const elements = new Set(), chosen = new Set(), member = this.content.array('beam.member');
    for (const id of this.scene.ids(x, y, w, h)) {
      if (id >= ids.solid) chosen.add(this.parts.body(this.content.array('solid.face_body')[id - ids.solid]));
      else if (id >= ids.beam) chosen.add(this.parts.member(member[id - ids.beam]));
      else if (id >= ids.shell) elements.add(id - ids.shell);
    }
    this.elements = elements, this.chosen = chosen;
    this.showState();
    const sheets = new Set([...elements].map((e) => this.content.array('shell.sheet')[e]));
    this.tell(`${elements.size} elements of ${sheets.size} sheets${chosen.size ? `, ${chosen.size} members or bodies` : ''} are marked (what is seen in the box)`);
  }
  // What is seen at a pixel: kind, number, place.
  under(x, y) {
    const id = this.scene.idAt(x, y), {content, parts} = this;
    if (!id) return null;
    if (id >= ids.solid) return {part: parts.body(content.array('solid.face_body')[id - ids.solid]), face: id - ids.solid};
    if (id >= ids.beam) { const i = id - ids.beam, b = content.array('beam'); return {part: parts.member(content.array('beam.member')[i]), beam: i, corners: [b[2 * i], b[2 * i + 1]]}; }
    const i = id - ids.shell, shell = content.array('shell'), cn = content.array('corner.node'), corners = [];
    for (let k = 0; k < 4; ++k) if (shell[4 * i + k] !== 0xffffffff) corners.push(cn[shell[4 * i + k]]);
    return {part: parts.sheet(content.array('shell.sheet')[i]), shell: i, corners};
  }
  click(x, y) {
    const hit = this.under(x, y);
    if (this.mode === 'measure') return this.measure(hit, x, y);
    if (!hit) {
      this.chosen = new Set(), this.elements = new Set(), this.showState(), this.tell('');
      return;
    }
    const {kind, index} = this.parts.describe(hit.part), s = this.content.summary;
    this.chosen = new Set([hit.part]), this.elements = new Set();
    this.showState();
    if (kind === 'sheet') {
      const k = s.sheets[index], e = this.content.array('shell.element')[hit.shell];
      this.open('sheets', undefined), this.selectRow(index), this.key = String(index);
      this.tell(`element ${e}, sheet ${index} of ${s.bodies[k.body - 1] ? s.bodies[k.body - 1].label : 'no body'}: ${k.surface}, ${figure(this.content.array('shell.thickness')[hit.shell])} mm thick, scaled Jacobian ${figure(this.content.array('shell.quality')[hit.shell], 3)}${this.valueAt(hit, x, y)}`);
    } else if (kind === 'member') {
      this.open('members', undefined), this.selectRow(index), this.key = String(index);
      this.tell(`element ${this.content.array('beam.element')[hit.beam]}, member ${index}: ${s.sections[s.members[index].section].shape}${this.valueAt(hit, x, y)}`);
    } else {
      const body = this.content.array('solid.face_body'), first = body.indexOf(index);
      this.open('bodies', undefined), this.selectRow(index + 1), this.key = String(index + 1);
      this.tell(`${s.bodies[index].label}, face ${hit.face - first + 1}`);
    }
  }
  nearest(hit, x, y) {
    const node = this.content.array('node'), m = this.colours.movement(this.shape), f = this.scene.uniforms.moveScale.value;
    let best = null;
    for (const n of hit.corners || []) {
      const p = [0, 1, 2].map((k) => node[3 * n + k] + (m.steps.length ? f * m.step * m.steps[3 * n + k] : 0)), q = this.scene.project(p), d = Math.hypot(q[0] - x, q[1] - y);
      if (!best || d < best.d) best = {n, d, place: [0, 1, 2].map((k) => node[3 * n + k])};
    }
    return best;
  }
  valueAt(hit, x, y) {
    const l = this.legend, near = this.nearest(hit, x, y);
    if (!near || !isResult(this.colour)) return '';
    if (l.beams) return `; ${this.colour} ${figure(l.beams(near.n))} at node ${near.n}`;
    if (!l.corner || hit.shell === undefined) return '';
    const shell = this.content.array('shell'), cn = this.content.array('corner.node');
    for (let k = 0; k < 4; ++k) if (cn[shell[4 * hit.shell + k]] === near.n) return `; ${this.colour} ${figure(l.corner(shell[4 * hit.shell + k]))} MPa at node ${near.n}`;
    return '';
  }
  measure(hit, x, y) {
    const near = hit && this.nearest(hit, x, y);
    if (!near) return this.tell('measure: click on an element, its nearest node counts');
    if (!this.from) {
      this.from = near;
      return this.tell(`from node ${near.n} at ${placeText(this.content.global(near.place))}; now the other`);
    }
    const d = near.place.map((v, k) => v - this.from.place[k]);
    this.tell(`${figure(Math.hypot(...d), 6)} mm from node ${this.from.n} to node ${near.n}: ${d.map((v, k) => 'xyz'[k] + ' ' + figure(v, 5)).join(', ')}`);
    this.from = null;
  }
  setMode(mode) {
    this.mode = this.mode === mode ? '' : mode, this.from = null;
    $('measure').setAttribute('aria-pressed', String(this.mode === 'measure')), $('select-box').setAttribute('aria-pressed', String(this.mode === 'box'));
    if (this.mode === 'measure') this.tell('measure: click on two elements, their nearest nodes count');
    if (this.mode === 'box') this.tell('drag a box; what is seen in it is marked');
  }

  keysText() {
    return [['Arrow keys', 'turn; with Shift move'], ['+ and -', 'zoom'], ['0', 'show all'], ['1 to 7', Object.keys(sides).join(', ').toLowerCase()], ['Z', 'camera as it was before'], ['H, I, A', 'hide what is marked, only that, everything'],
      ['M', 'measure between two nodes'], ['B', 'mark by a box; or drag with Shift'], ['E', 'element edges'], ['N', 'numbers'], ['G', 'see-through solids'], ['[ and ]', 'cut plane to and fro'], ['T', 'light or dark'], ['/', 'search the list'], ['Escape', 'mark nothing']];
  }
  keys() {
    const cam = this.scene.camera;
    const act = {
      '+': () => cam.zoom(0.85), '=': () => cam.zoom(0.85), '-': () => cam.zoom(1 / 0.85), 0: () => this.fit(), z: () => cam.back(), h: () => $('hide').click(), i: () => $('only').click(), a: () => $('show-all').click(),
      m: () => this.setMode('measure'), b: () => this.setMode('box'), e: () => this.setLayer('mesh', !this.meshOn), n: () => { this.setLayer('flags', !this.flagsOn); this.placeFlags(); }, g: () => this.setLayer('glass', !this.layerOn('glass')),
      t: () => $('theme').click(), '?': () => $('help').click(), '/': () => this.table && this.table.find.focus(), '[': () => this.nudge(-0.02), ']': () => this.nudge(0.02),
      Escape: () => { this.chosen = new Set(), this.elements = new Set(), this.faces = null, this.mode = '', this.showState(), this.tell(''); },
    };
    Object.keys(sides).forEach((side, i) => { act[String(i + 1)] = () => this.side(side); });
    window.onkeydown = (e) => {
      const typing = e.target.matches && e.target.matches('input[type=search], input[type=number], select, textarea');
      if (typing || e.ctrlKey || e.metaKey || e.altKey || $('keys').open) return;
      const arrow = {ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1]}[e.key];
      if (arrow && e.target === $('scene')) {
        if (e.shiftKey) cam.shift(-arrow[0] * cam.view.span * 0.05, -arrow[1] * cam.view.span * 0.05);
        else cam.turn(arrow[0] * 5, arrow[1] * 5);
        return e.preventDefault();
      }
      const f = act[e.key.length === 1 ? e.key.toLowerCase() : e.key];
      if (f) f(), e.preventDefault();
    };
  }
  nudge(d) { this.cut.at = Math.max(0, Math.min(1, this.cut.at + d)), $('cut-at').value = 1000 * this.cut.at, this.setCut(); }
  side(name) { this.scene.camera.fly({azimuth: sides[name][0], elevation: sides[name][1]}); }
}
