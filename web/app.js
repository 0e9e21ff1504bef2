// The page's program: its state, what is drawn and listed of it, and the address that remembers the view.
import {unpack, figure, placeText} from 'halvo/content';
import {sides} from 'halvo/camera';
import {Choices} from 'halvo/choices';
import {colourNames, Colours, isForce, isResult, ofSolids} from 'halvo/colours';
import * as build from 'halvo/layers';
import {Hands, ids} from 'halvo/hands';
import {element, said} from 'halvo/lists';
import {Live} from 'halvo/live';
import {panels} from 'halvo/panels';
import {Scene} from 'halvo/scene';

const $ = (id) => document.getElementById(id);
const rgb = (hex) => [1, 3, 5].map((k) => parseInt(hex.slice(k, k + 2), 16) / 255);
const empty = (hex) => !hex || hex.length === 0;

class App extends Hands {
  constructor(bytes) {
    super();
    this.content = unpack(bytes);
    this.live = this.content.live ? new Live() : null;
    this.parts = build.partsOf(this.content);
    this.choices = new Choices(this.content, () => this.showChoices());
    this.hidden = new Set(), this.chosen = new Set(), this.elements = new Set();
    this.shape = {kind: 'case', index: 0}, this.deform = 0;
    this.cut = {axis: '', at: 0.5, flip: false};
    this.words = '', this.tab = 'overview', this.key = '';
    this.flagged = () => [];
    this.mode = '';
  }

  // ---- layers
  makeScene() {
    const {content, parts} = this, p = content.palette;
    this.scene = new Scene($('scene'), content, parts, p);
    const s = this.scene, list = [], colour = (name) => rgb(p[name]), has = (array) => content.array(array).length > 0;
    const layer = (name, label, kind, make, options = {}) => { s.define(name, kind, make, options); list.push({name, label}); };
    const meshed = has('shell') || has('beam');
    if (has('shell')) {
      layer('sheets', 'Midsurfaces', 'surface', () => build.shells(content, parts, ids.shell), {visible: true, picks: true, moves: true});
      list.push({name: 'mesh', label: 'Element edges'});
      layer('plates', 'Real thickness', 'surface', () => build.plates(content, parts, ids.shell), {picks: true, moves: true});
    }
    if (has('beam')) {
      layer('members', 'Members', 'ribbons', () => build.memberLines(content, parts, colour('member'), ids.beam), {visible: true, picks: true, moves: true});
      layer('sections', 'Real sections', 'surface', () => build.sections(content, parts, ids.beam), {picks: true, moves: true});
    }
    if (has('edge')) {
      const edges = build.edges(content, parts, ['free_edge', 'shared_edge', 'three_sheets', 'four_sheets'].map(colour));
      this.edgeLength = edges.length;
      layer('edges', 'Edges by sheets', 'ribbons', () => edges, {visible: true, lift: 4e-5});
    }
    if (has('link') || has('tie')) layer('links', 'Links and ties', 'ribbons', () => build.links(content, parts, colour('link'), colour('tie')), {visible: true, lift: 6e-5, moves: true});
    layer('solid', 'Solids', 'surface', () => build.solids(content, parts, 'solid', ids.solid), {visible: !meshed, picks: true});
    layer('glass', 'Solids, see-through', 'surface', () => build.solids(content, parts, 'solid', ids.solid), {opacity: 0.16, order: 5});
    layer('lines', 'Outline of solids', 'ribbons', () => build.solidLines(content, parts, 'solid', colour('ink')), {visible: !meshed});
    if (content.before_strip) layer('before', 'Solids before strip', 'surface', () => build.solids(content, parts, 'before', ids.solid));
    if (content.as_read) layer('read', 'Solids as read', 'surface', () => build.solids(content, parts, 'read', ids.solid));
    if (has('support')) {
      s.addRibbons('supports', build.supports(content, parts, colour('ink'), 0.012 * content.span), {onTop: true, order: 8});
      list.push({name: 'supports', label: 'Supports'});
    }
    if (content.scene.cases && content.scene.cases.length) this.showForces(list);
    list.push({name: 'flags', label: 'Numbers'});
    this.flagsOn = true, this.meshOn = false;
    this.layerList = list.filter((l, i) => list.findIndex((x) => x.name === l.name) === i);
    s.after.push(() => this.placeFlags(), () => this.remember());
    this.colours = new Colours(content, s);
    this.boxes();
  }
  showForces(list) {
    const {content, parts, scene} = this, p = content.palette, i = this.shape.kind === 'case' ? this.shape.index : 0;
    for (const [name, label, what, colour, into] of [['loads', 'Loads', 'applied', p.three_sheets, true], ['reactions', 'Reactions', 'reaction', p.four_sheets, true]]) {
      const arrays = build.arrows(content, parts, `case${i}.${what}`, rgb(colour), 0.07 * content.span, into);
      if (arrays.count) scene.addRibbons(name, arrays, {onTop: true, order: 8});
      if (list && arrays.count) list.push({name, label});
    }
  }
  layerOn(name) { return name === 'flags' ? this.flagsOn : name === 'mesh' ? this.meshOn : this.scene.shown(name); }
  setLayer(name, on) {
    if (name === 'flags') this.flagsOn = on;
    else if (name === 'mesh') {
      this.meshOn = on;
      this.lineUp();
    } else if (this.scene.show(name, on) && this.colours && this.colour) this.moved = null, this.paint(), this.showState(), this.lineUp();
    const box = $('layers').querySelector(`input[name="${name}"]`);
    if (box) box.checked = on;
    this.scene.redraw();
    this.showLegend();
  }
  lineUp() { for (const l of ['sheets', 'plates']) { const k = this.scene.layers.get(l); if (k && k.mesh) k.own.lines.value = this.meshOn ? 0.75 : 0; } }
  // Corners of everything that belongs to a part.
  boxes() {
    const {content, parts} = this, n = parts.count;
    this.box = Array.from({length: n}, () => [[Infinity, Infinity, Infinity], [-Infinity, -Infinity, -Infinity]]);
    const take = (p, x, y, z) => {
      const [a, b] = this.box[p], v = [x, y, z];
      for (let k = 0; k < 3; ++k) a[k] = Math.min(a[k], v[k]), b[k] = Math.max(b[k], v[k]);
    };
    content.summary.bodies.forEach((b, i) => { if (b.box) for (const corner of b.box) take(parts.body(i), ...content.local(corner)); });
    for (const name of ['sheets', 'members']) {
      const l = this.scene.layers.get(name);
      if (!l || !l.arrays) continue;
      const {position, part} = l.arrays;
      for (let i = 0; i < part.length; ++i) take(part[i], position[3 * i], position[3 * i + 1], position[3 * i + 2]);
    }
    this.all = this.boxOf([...Array(n).keys()]) || [[-1, -1, -1], [1, 1, 1]];
  }
  boxOf(list) {
    const low = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity];
    for (const p of list) for (let k = 0; k < 3; ++k) low[k] = Math.min(low[k], this.box[p][0][k]), high[k] = Math.max(high[k], this.box[p][1][k]);
    return low[0] <= high[0] ? [low, high] : null;
  }
  centreOf(p) { const b = this.boxOf([p]); return b ? b[0].map((v, k) => (v + b[1][k]) / 2) : [0, 0, 0]; }
  partsOfBody(b) {
    const out = [this.parts.body(b)], s = this.content.summary;
    s.sheets.forEach((k, i) => { if (k.body - 1 === b) out.push(this.parts.sheet(i)); });
    s.members.forEach((k, i) => { if (k.body - 1 === b) out.push(this.parts.member(i)); });
    return out;
  }
  // Faces of a body, by their numbers, in the solids that features were found in.
  facesOf(body, numbers) {
    const of = this.content.has('before.face') ? 'before' : 'solid', first = this.content.array(of + '.face_body').indexOf(body);
    return {of, list: new Set(numbers.map((n) => first + n - 1))};
  }
  partsOfKeys(keys) {
    const out = [], s = this.content.summary;
    s.sheets.forEach((k, i) => { if (keys.includes(k.key) || (k.wall && keys.includes(k.wall))) out.push(this.parts.sheet(i)); });
    s.members.forEach((k, i) => { if (keys.includes(k.key)) out.push(this.parts.member(i)); });
    return out;
  }
  shellOfElement(e) {
    if (!this.ofElement) this.ofElement = new Map([...this.content.array('shell.element')].map((x, i) => [x, i]));
    return this.ofElement.get(e) ?? -1;
  }

  // ---- what is chosen
  showState() {
    this.scene.setParts((p) => (this.hidden.has(p) ? 0 : this.chosen.has(p) ? 2 : 1));
    for (const l of ['sheets', 'plates']) this.scene.mark(l, (a, i) => this.elements.has(a.item[i]));
    for (const l of ['solid', 'glass', 'before', 'read']) {
      const face = this.content.array((l === 'glass' ? 'solid' : l) + '.face'), on = this.faces && this.faces.of === l ? this.faces.list : null;
      this.scene.mark(l, (a, i) => on !== null && on.has(face[a.item[i]]));
    }
  }
  // To a row of a list: its parts are marked, the camera goes there.
  go(to, more = false) {
    if (to.tab !== undefined && to.key !== undefined) this.key = String(to.key);
    this.chosen = new Set([...(more ? this.chosen : []), ...(to.parts || [])]), this.elements = new Set((to.elements || []).filter((e) => e >= 0));
    this.faces = to.faces || null;
    this.showState();
    let box = this.boxOf([...this.chosen]);
    if (to.close && to.place) {
      const r = to.near ? Math.max(to.near, 0.02 * this.content.span) : 0.09 * this.content.span;
      box = [to.place.map((v) => v - r), to.place.map((v) => v + r)];
    } else if (!(to.parts || []).length && to.place) box = [to.place.map((v) => v - 0.09 * this.content.span), to.place.map((v) => v + 0.09 * this.content.span)];
    if (box) {
      const pad = 0.15 * Math.max(...box[1].map((v, k) => v - box[0][k]), 1e-6);
      this.scene.camera.fit(box[0].map((v) => v - pad), box[1].map((v) => v + pad), this.room());
    }
    this.placeFlags();
  }
  selectElements(list, text) {
    this.elements = new Set(list), this.chosen = new Set();
    this.showState();
    this.tell(text + ' are marked' + (list.length ? '' : ': none'));
  }
  tell(text) { $('told').textContent = text; }

  // ---- colours, cases, legend
  setColour(name) {
    const known = colourNames(this.content).flatMap(([, l]) => l);
    if (!known.includes(name)) name = known[0];
    const fromSolids = this.colour && ofSolids(this.colour);
    this.colour = name, $('colour').value = name;
    if (ofSolids(name)) {
      const layer = name === 'features' && this.content.has('before.face') ? 'before' : 'solid';
      for (const l of ['sheets', 'plates', 'members', 'sections', 'edges', 'links', 'glass', 'before', 'solid', 'read']) if (this.scene.layers.has(l)) this.setLayer(l, l === layer);
      this.setLayer('lines', true);
    } else if (this.scene.layers.has('sheets') || this.scene.layers.has('members')) {
      if (!this.layerOn('sheets') && !this.layerOn('plates')) this.setLayer('sheets', true);
      if (!this.layerOn('members') && !this.layerOn('sections') && this.scene.layers.has('members')) this.setLayer('members', true);
      if (fromSolids) this.setLayer('lines', false);
      if (fromSolids && this.scene.layers.has('edges') && !isResult(name)) this.setLayer('edges', true);
      for (const l of ['solid', 'before', 'read']) if (this.scene.layers.has(l)) this.setLayer(l, false);
    }
    this.paint();
  }
  paint() {
    if (this.topOf !== this.colour + this.shape.kind + this.shape.index) this.top = null;
    const legend = this.colours.apply(this.colour, this.shape, this.top);
    this.legend = legend;
    const result = isResult(this.colour);
    $('case-row').hidden = !this.content.scene.cases || !(this.content.scene.cases.length + this.content.scene.modes.length);
    if (legend.diagram) {
      const d = legend.diagram, p = this.content.palette.field, reach = legend.high - legend.low || 1;
      const arrays = build.diagram(this.content, this.parts, d.values, d.axis, 0.08 * this.content.span, (v) => rgb(p[Math.round((p.length - 1) * (v - legend.low) / reach)]));
      if (arrays.count) this.scene.addRibbons('diagram', arrays, {visible: true, order: 6});
      this.scene.show('diagram', true);
    } else this.scene.show('diagram', false);
    if (result && this.layerOn('edges')) this.setLayer('edges', false);
    this.move();
    this.showLegend();
  }
  setCase(kind, index) {
    this.shape = {kind, index};
    $('case').value = kind + index;
    if (kind === 'case') this.showForces();
    if (kind === 'mode' && !this.colour.startsWith('displacement')) this.setColour('displacement');
    else this.paint();
  }
  showCase(kind, index, colour, swing = false) {
    if (!isResult(this.colour) && !colour) colour = 'displacement';
    if (colour) this.setColour(colour);
    if (this.deform === 0) this.setDeform(50);
    this.setCase(kind, index);
    this.swing(swing);
  }
  // 50 of 100: the largest displacement is a twentieth of the model.
  setDeform(v) {
    this.deform = v, $('deform').value = v;
    this.move();
  }
  factor() {
    const {most} = this.colours.movement(this.shape), t = this.deform / 50;
    return most > 0 ? t * t * 0.05 * this.content.span / most : 0;
  }
  move() {
    const m = this.colours.movement(this.shape), key = this.shape.kind + this.shape.index, f = this.factor();
    if (this.moved !== key) this.scene.movement(m.steps, m.step), this.moved = key;
    this.scene.uniforms.moveScale.value = f;
    $('deform-text').textContent = this.deform > 0 && m.most > 0 ? `${figure(f, 3)} times` : 'as it is';
    if (f > 0 && this.layerOn('edges')) this.setLayer('edges', false);
    this.scene.redraw();
  }
  swing(on) {
    cancelAnimationFrame(this.swinging);
    this.swinging = 0;
    $('swing').setAttribute('aria-pressed', String(on));
    if (!on) return this.move();
    const start = performance.now();
    const step = (now) => {
      this.scene.uniforms.moveScale.value = this.factor() * (this.shape.kind === 'mode' ? Math.sin((now - start) / 320) : 0.5 - 0.5 * Math.cos((now - start) / 480));
      this.scene.redraw(true);
      this.swinging = requestAnimationFrame(step);
    };
    this.swinging = requestAnimationFrame(step);
  }
  showLegend() {
    const l = this.legend, box = $('legend');
    if (!l) return;
    const rows = [], name = isResult(l.name) ? `${l.name}${this.shape.kind === 'mode' ? `, mode ${this.shape.index + 1}, ${figure(this.content.scene.modes[this.shape.index].frequency)} Hz` : `, ${this.content.scene.cases[this.shape.index] ? this.content.scene.cases[this.shape.index].name : ''}`}` : l.name;
    rows.push(element('h2', {}, said(name)));
    if (l.ramp) {
      const stops = l.ramp.filter((_, i) => i % 7 === 0 || i === l.ramp.length - 1).join(',');
      rows.push(element('div', {class: 'scale'}, element('span', {class: 'ramp', style: `background:linear-gradient(to top,${stops})`}), element('ol', {}, [1, 0.75, 0.5, 0.25, 0].map((t) => element('li', {}, figure(l.low + t * (l.high - l.low)))))), element('p', {}, l.unit, element('label', {}, ' up to ', element('input', {type: 'number', step: 'any', value: figure(l.high), 'aria-label': 'Upper end of the scale', onchange: (e) => { this.top = e.target.value === '' ? null : Number(e.target.value); this.topOf = this.colour + this.shape.kind + this.shape.index; this.paint(); }}))));
    }
    for (const e of l.extremes || []) rows.push(element('p', {}, `${e.text}${l.unit && !l.unit.includes(' ') ? ' ' + l.unit : ''} at ${placeText(this.content.global(e.place))}`));
    if (l.items) rows.push(element('ul', {}, l.items.map((i) => element('li', {}, element('i', {class: 'area' + (i.striped ? ' striped' : ''), style: `background:${i.colour}`}), said(i.text)))));
    if (l.more) rows.push(element('p', {}, `and ${l.more} more`));
    const p = this.content.palette, lines = [];
    if (this.layerOn('edges')) {
      const names = [['free edge', 'free_edge', 3], ['two sides', 'shared_edge', 1], ['three sides (tee)', 'three_sheets', 2], ['four and more', 'four_sheets', 3]];
      names.forEach(([text, colour, w], k) => { if (this.edgeLength[k] > 0) lines.push([`${text}, ${figure(Math.round(this.edgeLength[k]))} mm`, p[colour], w, 'solid']); });
    }
    if (this.layerOn('members') && !l.ramp) lines.push(['member', p.member, 4, 'solid']);
    if (this.layerOn('links')) { if (this.content.array('link').length) lines.push(['rigid link', p.link, 3, 'dashed']); if (this.content.array('tie').length) lines.push(['tie', p.tie, 3, 'dotted']); }
    if (this.layerOn('supports')) lines.push(['support (square: turning too; dashed: sprung)', p.ink, 2, 'solid']);
    if (this.layerOn('loads')) lines.push(['load', p.three_sheets, 2, 'solid']);
    if (this.layerOn('reactions')) lines.push(['reaction', p.four_sheets, 2, 'solid']);
    if (lines.length) rows.push(element('ul', {}, lines.map(([text, colour, w, style]) => element('li', {}, element('i', {class: 'line', style: `border-top:${w}px ${style} ${colour}`}), text))));
    box.replaceChildren(...rows);
  }

  // ---- cut, explode
  setCut() {
    const {axis, at, flip} = this.cut, u = this.scene.uniforms;
    u.cutting.value = axis ? 1 : 0;
    if (axis) {
      const n = axis === 'view' ? this.scene.camera.axes().toward : [0, 1, 2].map((k) => ('xyz'[k] === axis ? 1 : 0));
      const [low, high] = this.all, c = low.map((v, k) => (v + high[k]) / 2), r = n.reduce((sum, v, k) => sum + Math.abs(v) * (high[k] - low[k]) / 2, 0);
      const d = n.reduce((sum, v, k) => sum + v * c[k], 0) + (2 * at - 1) * r * 1.001, sign = flip ? -1 : 1;
      u.plane.value.set(...n.map((v) => sign * v), sign * d);
      const o = this.content.scene.origin;
      this.tell(axis === 'view' ? 'cut across the view' : `cut at ${axis} = ${figure(d + o['xyz'.indexOf(axis)])} mm`);
    }
    this.scene.redraw();
  }

  // ---- flags: numbered places of the list that is open
  placeFlags() {
    const box = $('flags');
    if (!this.flagsOn) return box.replaceChildren();
    const list = this.flagged();
    if (this.flagList !== list.length || this.flagTab !== this.tab) box.replaceChildren(), this.flagList = list.length, this.flagTab = this.tab;
    list.forEach((f, i) => {
      let b = box.children[i];
      if (!b) box.append(b = element('button', {type: 'button', class: 'flag'}));
      if (b.textContent !== f.text) b.textContent = f.text;
      b.onclick = f.choose;
      const [x, y] = this.scene.project(f.place), inside = x > 0 && y > 0 && x < this.scene.width && y < this.scene.height;
      b.hidden = !inside;
      b.style.transform = `translate(${x.toFixed(0)}px, ${y.toFixed(0)}px)`;
    });
  }

  // ---- lists
  open(tab, key, words = '') {
    const p = this.panels.get(tab) || this.panels.get('overview');
    this.tab = p.id, this.key = '', this.words = words, this.table = null, this.flagged = () => [], this.selectRow = () => false, this.whereOf = null;
    for (const b of $('tabs').children) b.setAttribute('aria-selected', String(b.dataset.tab === p.id)), b.tabIndex = b.dataset.tab === p.id ? 0 : -1;
    $('panel').replaceChildren(), $('panel').setAttribute('aria-labelledby', 'tab-' + p.id);
    p.build($('panel'));
    if (key !== undefined && key !== '') {
      const row = this.selectRow(key);
      if (row) this.go({tab: p.id, key, ...this.whereOf(row)});
    }
    this.placeFlags();
    this.remember();
  }
  refresh() {
    const {tab, key, words} = this, top = this.table ? this.table.frame.scrollTop : 0, sorted = this.table ? [this.table.sorted, this.table.down, this.table.most, this.table.bound ? this.table.bound.value : ''] : null;
    this.open(tab, undefined, words);
    if (sorted && this.table) {
      [this.table.sorted, this.table.down, this.table.most] = sorted;
      if (this.table.bound) this.table.bound.value = sorted[3];
      this.table.fill();
    }
    if (key) this.key = key, this.selectRow(key);
    if (this.table) this.table.frame.scrollTop = top;
  }
  makeTabs() {
    this.searched = (w) => { this.words = w; this.placeFlags(); this.remember(); };
    this.panels = panels(this);
    $('tabs').replaceChildren(...[...this.panels.values()].map((p) => element('button', {type: 'button', role: 'tab', id: 'tab-' + p.id, 'data-tab': p.id, 'aria-controls': 'panel', onclick: () => this.open(p.id), onkeydown: (e) => {
      const next = e.key === 'ArrowRight' ? e.target.nextElementSibling : e.key === 'ArrowLeft' ? e.target.previousElementSibling : null;
      if (next) next.focus(), next.click();
    }}, p.title, p.count === '' ? null : element('span', {class: 'count'}, ` ${p.count}`))));
  }

  // ---- choices
  showChoices() {
    const c = this.choices, box = $('choices'), live = this.live;
    box.hidden = c.count === 0 && !(live && this.content.back > 0);
    if (box.hidden) return;
    const copy = (text, what) => navigator.clipboard.writeText(text).then(() => this.tell(what + ' copied'), () => this.tell('copying is not allowed here; select the text'));
    const text = c.text(), busy = Boolean(this.busy);
    box.replaceChildren(element('h2', {}, c.count ? `Your choices (${c.count})` : 'State of the model'),
      c.count ? element('pre', {id: 'lines', tabindex: 0, 'aria-label': 'Lines of the plan'}, text) : null,
      c.count ? element('p', {}, 'They go into the plan, in place of lines with the same key; or as they are:') : null,
      c.count ? element('pre', {id: 'command', tabindex: 0, 'aria-label': 'Command'}, c.command()) : null,
      element('p', {class: 'actions'},
        live ? element('button', {type: 'button', id: 'run', disabled: busy || c.count === 0, onclick: () => this.runLive(() => live.run(c.assignments().map(([k, v]) => `${k}=${v}`), (t) => this.telling(t)))}, `Run from ${c.from()}`) : null,
        live ? element('button', {type: 'button', id: 'step-back', disabled: busy || !this.content.back, onclick: () => this.runLive(() => live.back((t) => this.telling(t)))}, 'One step back') : null,
        c.count ? element('button', {type: 'button', onclick: () => copy(text, 'lines')}, 'Copy lines') : null,
        c.count ? element('button', {type: 'button', onclick: () => copy(c.command(), 'command')}, 'Copy command') : null,
        c.count ? element('button', {type: 'button', onclick: () => { const a = element('a', {href: URL.createObjectURL(new Blob([text + '\n# ' + c.command() + '\n'], {type: 'text/plain'})), download: 'choices.toml'}); a.click(); }}, 'Save') : null,
        c.count ? element('button', {type: 'button', disabled: busy, onclick: () => { c.clear(); this.refresh(); }}, 'Drop all') : null),
      element('p', {id: 'running', role: 'status'}, this.busy || ''));
  }
  telling(text) {
    this.busy = text;
    const p = $('running');
    if (p) p.textContent = text;
  }
  async runLive(work) {
    this.busy = 'starting', this.showChoices();
    try {
      const bytes = await work();
      this.busy = '';
      restart(bytes);
    } catch (e) {
      this.busy = '';
      this.showChoices();
      const p = $('running');
      if (p) p.textContent = 'Nothing has changed: ' + e.message, p.className = 'bad';
    }
  }

  // ---- what stands round the scene
  marked() {
    const sheet = this.content.array('shell.sheet');
    return new Set([...this.chosen, ...[...this.elements].map((e) => this.parts.sheet(sheet[e]))]);
  }
  room() {
    const covered = $('tools').getBoundingClientRect().width / this.scene.width;
    return {aspect: this.scene.width / this.scene.height, covered: covered < 0.45 ? covered : 0};
  }
  fit(direction) { this.scene.camera.fit(...this.all, this.room(), true, direction || {}); }

  controls() {
    const {content} = this;
    $('title').textContent = content.title, document.title = content.title + ' - Halvo';
    const s = content.summary, count = (n, one, more = one + 's') => `${n} ${n === 1 ? one : more}`;
    $('sum').textContent = `${count(s.bodies.length, 'body', 'bodies')}, ${count(s.sheets.length, 'sheet')}, ${count(s.members.length, 'member')}; ${s.mesh.nodes} nodes; done up to ${s.stage}`;
    $('colour').replaceChildren(...colourNames(content).map(([group, list]) => element('optgroup', {label: group}, list.map((n) => element('option', {value: n}, n)))));
    $('colour').onchange = () => this.setColour($('colour').value);
    const shapes = [];
    for (const [i, c] of (content.scene.cases || []).entries()) shapes.push(element('option', {value: 'case' + i}, c.name));
    for (const [i, m] of (content.scene.modes || []).entries()) shapes.push(element('option', {value: 'mode' + i}, `mode ${i + 1}, ${figure(m.frequency)} Hz`));
    $('case').replaceChildren(...shapes);
    $('case').onchange = () => this.setCase($('case').value.slice(0, 4), Number($('case').value.slice(4)));
    if (!(content.scene.cases || []).length) this.shape.kind = 'mode';
    $('deform').oninput = () => this.setDeform(Number($('deform').value));
    $('swing').onclick = () => { if (this.deform === 0) this.setDeform(50); this.swing(!this.swinging); };
    $('layers').replaceChildren(element('legend', {}, 'Layers'), ...this.layerList.map((l) => element('label', {}, element('input', {type: 'checkbox', name: l.name, checked: this.layerOn(l.name), onchange: (e) => { this.setLayer(l.name, e.target.checked); this.placeFlags(); }}), l.label)));
    $('cut-axis').onchange = () => { this.cut.axis = $('cut-axis').value === 'nothing' ? '' : $('cut-axis').value; this.setCut(); };
    $('cut-at').oninput = () => { this.cut.at = Number($('cut-at').value) / 1000; this.setCut(); };
    $('cut-flip').onchange = () => { this.cut.flip = $('cut-flip').checked; this.setCut(); };
    $('explode').oninput = () => { this.scene.uniforms.explode.value = Number($('explode').value) / 60; this.scene.redraw(); };
    $('measure').onclick = () => this.setMode('measure'), $('select-box').onclick = () => this.setMode('box');
    $('hide').onclick = () => { for (const p of this.marked()) this.hidden.add(p); this.chosen = new Set(), this.elements = new Set(), this.showState(); };
    $('only').onclick = () => { const m = this.marked(); if (m.size) this.hidden = new Set([...Array(this.parts.count).keys()].filter((p) => !m.has(p) && p !== this.parts.loose)), this.chosen = new Set(), this.elements = new Set(), this.showState(); };
    $('show-all').onclick = () => { this.hidden = new Set(), this.showState(); };
    $('sides').replaceChildren(...Object.keys(sides).map((n, i) => element('button', {type: 'button', title: `key ${i + 1}`, onclick: () => this.side(n)}, n)), element('button', {type: 'button', title: 'key 0', onclick: () => this.fit()}, 'All'));
    $('undo').onclick = () => { if (!this.scene.camera.back()) this.tell('this is where the camera began'); };
    $('theme').onclick = () => this.setTheme(document.documentElement.dataset.theme === 'dark' ? 'light' : 'dark');
    $('copy-address').onclick = () => { this.remember(true); navigator.clipboard.writeText(location.href).then(() => this.tell('address copied; it shows just this view'), () => this.tell('copying is not allowed here; the address bar has it')); };
    $('keys').replaceChildren(element('h2', {}, 'Keys'), element('dl', {}, this.keysText().map(([k, t]) => [element('dt', {}, k), element('dd', {}, t)])), element('p', {}, 'Drag turns, right button or two fingers move, wheel or pinch zooms; a click says what it is. Rows of a list are chosen together with Control or Shift.'), element('form', {method: 'dialog'}, element('button', {}, 'Close')));
    $('help').onclick = () => $('keys').showModal();
    $('tools').onsubmit = (e) => e.preventDefault();
  }
  setTheme(theme) {
    document.documentElement.dataset.theme = theme;
    $('theme').textContent = theme === 'dark' ? 'Light' : 'Dark', $('theme').setAttribute('aria-pressed', String(theme === 'dark'));
    this.scene.uniforms.inDark.value = theme === 'dark' ? 1 : 0;
    this.scene.redraw();
  }

  // ---- the address remembers
  remember(now = false) {
    clearTimeout(this.remembering);
    const write = () => {
      const v = this.scene.camera.view, r = (x) => Number(x.toPrecision(6)), q = new URLSearchParams();
      q.set('list', this.tab);
      if (this.key) q.set('row', this.key);
      if (this.words) q.set('find', this.words);
      q.set('colour', this.colour);
      q.set('layers', this.layerList.filter((l) => this.layerOn(l.name)).map((l) => l.name).join(' '));
      q.set('view', [v.azimuth, v.elevation, ...this.content.global(v.target), v.span].map((x, k) => (k > 1 && k < 5 ? x.toFixed(2) : r(x))).join(' '));
      if (this.content.scene.cases && this.deform > 0) q.set('shape', `${this.shape.kind}${this.shape.index} ${this.deform}`);
      else if (isResult(this.colour)) q.set('shape', `${this.shape.kind}${this.shape.index} 0`);
      if (this.cut.axis) q.set('cut', `${this.cut.axis} ${r(this.cut.at)} ${this.cut.flip ? 1 : 0}`);
      if (this.scene.uniforms.explode.value) q.set('apart', $('explode').value);
      if (this.hidden.size) q.set('hidden', [...this.hidden].join(' '));
      history.replaceState(null, '', '#' + q.toString());
    };
    if (now) write();
    else this.remembering = setTimeout(write, 250);
  }
  recall() {
    const q = new URLSearchParams(location.hash.slice(1)), words = (k) => (q.get(k) || '').split(' ').filter(Boolean);
    if (q.get('layers') !== null) for (const l of this.layerList) this.setLayer(l.name, words('layers').includes(l.name));
    const colour = q.get('colour'), known = colourNames(this.content).flatMap(([, l]) => l), layers = new Set(words('layers'));
    const shape = words('shape');
    if (shape.length === 2 && this.content.array(shape[0] + '.move').length) this.shape = {kind: shape[0].slice(0, 4), index: Number(shape[0].slice(4))}, $('case').value = shape[0], this.deform = Math.max(0, Math.min(100, Number(shape[1]) || 0)), $('deform').value = this.deform;
    if (this.shape.kind === 'case' && this.content.scene.cases && this.content.scene.cases.length) this.showForces();
    this.setColour(known.includes(colour) ? colour : known[0]);
    if (q.get('layers') !== null) for (const l of this.layerList) if (this.layerOn(l.name) !== layers.has(l.name)) this.setLayer(l.name, layers.has(l.name));
    const v = words('view').map(Number);
    if (v.length === 6 && v.every(Number.isFinite) && v[5] > 0) this.scene.camera.view = {azimuth: v[0], elevation: v[1], target: this.content.local(v.slice(2, 5)), span: v[5]};
    else {
      this.scene.camera.fit(...this.all, this.room(), false);
      cancelAnimationFrame(this.scene.camera.flight), this.scene.camera.view = this.scene.camera.goal;
    }
    const cut = words('cut');
    if (cut.length === 3) this.cut = {axis: cut[0], at: Number(cut[1]), flip: cut[2] === '1'}, $('cut-axis').value = cut[0], $('cut-at').value = 1000 * this.cut.at, $('cut-flip').checked = this.cut.flip, this.setCut();
    if (q.get('apart')) $('explode').value = q.get('apart'), this.scene.uniforms.explode.value = Number(q.get('apart')) / 60;
    this.hidden = new Set(words('hidden').map(Number));
    const row = q.get('row'), view = this.scene.camera.copy();
    this.open(q.get('list') || 'overview', undefined, q.get('find') || '');
    if (row) {
      const r = this.selectRow(row);
      if (r) this.go({tab: this.tab, key: row, ...this.whereOf(r)}), cancelAnimationFrame(this.scene.camera.flight), this.scene.camera.view = view, this.scene.camera.past = [];
    }
    this.showState();
  }

  // What stands on paper for the lists.
  paper() {
    const s = this.content.summary, rows = (head, list) => element('table', {}, element('thead', {}, element('tr', {}, head.map((h) => element('th', {}, h)))), element('tbody', {}, list.map((r) => element('tr', {}, r.map((x) => element('td', {}, said(x)))))));
    const overview = element('div', {});
    const kept = [this.flagged];
    this.panels.get('overview').build(overview);
    this.flagged = kept[0];
    $('paper-lists').replaceChildren(element('h2', {}, said(this.content.title)), overview, element('h2', {}, 'Bodies'), rows(['body', 'class', 'volume mm\u00b3', 'off %'], s.bodies.slice(0, 200).map((b) => [b.label, b.class || '', figure(b.volume), b.volume_error === undefined ? '' : figure(Math.abs(b.volume_error) < 5e-6 ? 0 : Number((100 * b.volume_error).toFixed(3)))])),
      element('h2', {}, 'Joints'), rows(['kind', 'between', 'and', 'gap mm', 'state'], s.joints.slice(0, 200).map((j) => [j.kind, ...j.bodies.map((b) => (b > 0 ? s.bodies[b - 1].label : '')), figure(j.gap < 1e-6 ? 0 : j.gap), j.state])));
  }
}

let app = null, inflate = null;
function begin(bytes) {
  app = new App(bytes);
  app.makeScene(), performance.mark('scene made'), app.controls(), app.makeTabs(), app.pointers(), app.keys();
  app.setTheme(document.documentElement.dataset.theme || (window.matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light'));
  app.recall(), app.showChoices();
  window.halvo = app;
  performance.mark('ready'), document.documentElement.dataset.ready = '1';
}
// New content: the canvas is made anew, so that its drawing context is; the address keeps what was looked at.
async function restart(packed) {
  app.remember(true);
  cancelAnimationFrame(app.swinging);
  const canvas = $('scene'), fresh = canvas.cloneNode(false);
  app.scene.renderer.dispose(), app.scene.after = [], clearTimeout(app.remembering);
  canvas.replaceWith(fresh);
  begin(await inflate(packed));
  app.tell('done; this is the new state');
}
export async function start(bytes, inflated) {
  inflate = inflated;
  begin(bytes);
  window.onbeforeprint = () => app.paper();
  window.onhashchange = () => { if (!empty(location.hash)) app.recall(); };
}
