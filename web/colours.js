// What colours can say: for each name the value of every corner, the legend, and the extremes with their places.
import {figure} from 'halvo/content';

const rgb = (hex) => [1, 3, 5].map((k) => parseInt(hex.slice(k, k + 2), 16) / 255);
const surfaces = ['plane', 'cylinder', 'cone', 'sphere', 'torus', 'free'];
const classes = ['thin', 'slender', 'mixed', 'bulk', 'open'];
const forces = {'axial force': 0, 'shear force y': 1, 'shear force z': 2, torque: 3, 'bending moment y': 4, 'bending moment z': 5};

export function colourNames(content) {
  const model = ['thickness', 'body', 'sheet', 'kind of surface', 'scaled Jacobian', 'aspect ratio', 'warpage', 'skew', 'one colour'];
  if (content.summary.sheets.some((s) => s.deviation > 0)) model.splice(4, 0, 'deviation of fitted midsurfaces');
  const out = [['Model', content.has('shell') && content.array('shell').length + content.array('beam').length ? model : []],
    ['Solids', ['class', ...(content.summary.stage === 'prove' || content.summary.stage === 'solve' ? ['coverage'] : []), ...(content.summary.features.length ? ['features'] : [])]]];
  if (content.scene.cases && content.scene.cases.length + content.scene.modes.length) {
    const list = ['displacement', 'displacement x', 'displacement y', 'displacement z'];
    if (content.scene.cases.length) {
      list.push('von Mises, worse skin', 'von Mises, top', 'von Mises, bottom');
      if (content.scene.principal_packed) list.push('largest principal, top', 'largest principal, bottom', 'least principal, top', 'least principal, bottom');
      if (content.array('beam').length) list.push(...Object.keys(forces));
    }
    out.push(['Results', list]);
  }
  return out.filter(([, l]) => l.length);
}
export const isForce = (name) => name in forces;
export const ofSolids = (name) => ['class', 'coverage', 'features'].includes(name);
export const isResult = (name) => name.startsWith('displacement') || name.startsWith('von Mises') || name.includes('principal') || isForce(name);

export class Colours {
  constructor(content, scene) { this.content = content, this.scene = scene, this.cache = new Map(); }

  // Sets the scene's colours; what a legend says comes back.
  // `top`: upper end of the scale, where another is wanted than the largest value.
  apply(name, shape, top = null) {
    const {content, scene} = this, p = content.palette, member = content.array('beam.member');
    this.name = name, this.shape = shape;
    const tint = (of) => scene.tint('members', of), plain = rgb(p.member), shade = (t) => rgb(p.field[Math.max(0, Math.min(p.field.length - 1, Math.round(t * (p.field.length - 1))))]);
    const field = (value, low, most, unit, beam) => {
      const high = top !== null && top > low ? top : most, reach = high - low || 1;
      scene.ramp(p.field, 0);
      for (const l of ['sheets', 'plates']) scene.colour(l, (i, a) => Math.max(0, Math.min(1, (value(a, i) - low) / reach)));
      tint((i) => (beam ? shade((beam(i) - low) / reach) : plain));
      return {name, unit, low, high, ramp: p.field};
    };
    const groups = (of, names) => {
      const used = new Set();
      scene.ramp(p.category, p.category.length);
      for (const l of ['sheets', 'plates'])
        scene.colour(l, (i, a) => { const g = of(a.item[i]); used.add(g); return g < 0 ? -1 : (g % p.category.length + 0.5) / p.category.length; });
      return {name, items: [...used].filter((g) => g >= 0).sort((a, b) => a - b).slice(0, 24).map((g) => ({text: names(g), colour: p.category[g % p.category.length]})), more: Math.max(0, used.size - 24)};
    };
    const perShell = (array, unit) => {
      let low = Infinity, high = -Infinity;
      for (const v of array) low = Math.min(low, v), high = Math.max(high, v);
      if (!array.length) low = 0, high = 1;
      const l = field((a, i) => array[a.item[i]], low === high ? Math.min(0, low) : low, high, unit);
      l.extremes = this.extremesOfShells(array);
      return l;
    };
    const s = content.summary, sheet = content.array('shell.sheet');
    scene.colour('sections', () => -1);
    let legend;
    if (!isResult(name)) tint(() => plain);
    if (name === 'thickness') legend = perShell(content.array('shell.thickness'), 'mm');
    else if (name === 'scaled Jacobian') legend = {...field((a, i) => content.array('shell.quality')[a.item[i]], 0, 1, '1 is best'), extremes: this.extremesOfShells(content.array('shell.quality'), true)};
    else if (name === 'aspect ratio') legend = perShell(content.array('shell.aspect'), '1 is best');
    else if (name === 'warpage') legend = perShell(content.array('shell.warpage'), 'degrees');
    else if (name === 'skew') legend = perShell(content.array('shell.skew'), 'degrees');
    else if (name === 'deviation of fitted midsurfaces') legend = perShell(Float32Array.from(sheet, (k) => s.sheets[k].deviation), 'mm');
    else if (name === 'body') {
      legend = groups((i) => s.sheets[sheet[i]].body - 1, (g) => s.bodies[g].label);
      const n = p.category.length, of = (i) => (s.members[member[i]].body - 1) % n;
      scene.colour('sections', (i, a) => (of(a.item[i]) + 0.5) / n), tint((i) => rgb(p.category[of(i)]));
    }
    else if (name === 'sheet') legend = groups((i) => sheet[i], (g) => 'sheet ' + g);
    else if (name === 'kind of surface') legend = groups((i) => surfaces.indexOf(s.sheets[sheet[i]].surface), (g) => surfaces[g]);
    else if (isResult(name)) legend = this.result(name, shape, field);
    else {
      for (const l of ['sheets', 'plates']) scene.colour(l, () => -1);
      legend = {name, items: [{text: 'midsurfaces', colour: p.neutral}]};
    }
    const solid = this.solids(name);
    return ofSolids(name) ? solid : legend;
  }

  extremesOfShells(array, least = false) {
    let at = -1;
    array.forEach((v, i) => { if (at < 0 || (least ? v < array[at] : v > array[at])) at = i; });
    return at < 0 ? [] : [{text: `${least ? 'worst' : 'most'} ${figure(array[at])}`, place: this.centre(at)}];
  }
  centre(i) {
    const shell = this.content.array('shell'), node = this.content.array('node'), cn = this.content.array('corner.node'), n = shell[4 * i + 3] === 0xffffffff ? 3 : 4, c = [0, 0, 0];
    for (let k = 0; k < n; ++k) for (let j = 0; j < 3; ++j) c[j] += node[3 * cn[shell[4 * i + k]] + j] / n;
    return c;
  }

  // Displacements of the case or mode in mm, three a node.
  movement(shape) {
    const key = shape.kind + shape.index;
    const of = this.content.scene[shape.kind === 'mode' ? 'modes' : 'cases'];
    if (!of || !of[shape.index]) return {steps: [], step: 0, most: 0};
    if (!this.cache.has(key)) {
      const steps = this.content.array(`${key}.move`), step = of[shape.index].scale;
      let most = 0;
      for (let i = 0; i < steps.length; i += 3) most = Math.max(most, Math.hypot(steps[i], steps[i + 1], steps[i + 2]));
      this.cache.set(key, {steps, step, most: most * step});
    }
    return this.cache.get(key);
  }

  result(name, shape, field) {
    const {content, scene} = this, node = content.array('node');
    if (name.startsWith('displacement')) {
      const {steps, step} = this.movement(shape), axis = 'xyz'.indexOf(name.slice(-1)), total = name === 'displacement';
      const of = (n) => step * (total ? Math.hypot(steps[3 * n], steps[3 * n + 1], steps[3 * n + 2]) : steps[3 * n + axis]);
      let low = total ? 0 : Infinity, high = -Infinity, at = 0;
      for (let n = 0; n < steps.length / 3; ++n) {
        const v = of(n);
        if (v > high) high = v, at = n;
        low = Math.min(low, v);
      }
      const beam = content.array('beam');
      return {...field((a, i) => of(a.node[i]), low, high, shape.kind === 'mode' ? 'largest is 1' : 'mm', (i) => (of(beam[2 * i]) + of(beam[2 * i + 1])) / 2),
        extremes: [{text: `most ${figure(high)}`, place: [0, 1, 2].map((k) => node[3 * at + k]), node: at}], beams: of};
    }
    const one = content.scene.cases[shape.kind === 'case' ? shape.index : 0], prefix = `case${shape.kind === 'case' ? shape.index : 0}.`;
    if (isForce(name)) {
      for (const l of ['sheets', 'plates']) scene.colour(l, () => -1);
      scene.tint('members', () => rgb(content.palette.member));
      const all = content.array(prefix + 'beam'), values = [];
      for (let i = 0; i < all.length / 6; ++i) values.push(all[6 * i + forces[name]]);
      const low = Math.min(0, ...values), high = Math.max(0, ...values);
      return {name, unit: forces[name] < 3 ? 'N' : 'N mm', low, high, ramp: content.palette.field, diagram: {values, axis: name === 'bending moment z' || name === 'shear force y' ? 0 : 1}};
    }
    const decode = (which) => {
      const steps = content.array(prefix + which), [low, high] = one[which];
      return (c) => low + (high - low) * steps[c] / 65535;
    };
    const base = name.startsWith('von') ? 'mises' : name.startsWith('largest') ? 'first' : 'third';
    let of;
    if (name.endsWith('worse skin')) {
      const top = decode('mises_top'), bottom = decode('mises_bottom');
      of = (c) => Math.max(top(c), bottom(c));
    } else of = decode(base + (name.endsWith('top') ? '_top' : '_bottom'));
    let low = Infinity, high = -Infinity, at = 0, count = content.array('corner.node').length;
    for (let c = 0; c < count; ++c) {
      const v = of(c);
      if (v > high) high = v, at = c;
      low = Math.min(low, v);
    }
    if (base === 'mises') low = 0;
    const alongBeams = content.array(prefix + 'beam_mises');
    const n = content.array('corner.node')[at];
    return {...field((a, i) => of(a.corner[i]), low, high, 'MPa', base === 'mises' ? (i) => Math.max(alongBeams[2 * i], alongBeams[2 * i + 1]) : null), corner: of, extremes: count ? [{text: `most ${figure(high)}`, place: [0, 1, 2].map((k) => node[3 * n + k]), node: n}] : []};
  }

  // Solids always show something of their own: their class, skin without a sheet, or features.
  solids(name) {
    const {content, scene} = this, p = content.palette, s = content.summary;
    const pick = [p.neutral, p.four_sheets, p.three_sheets, p.free_edge, p.tie], at = (k) => (k + 0.5) / palette.length;
    const palette = name === 'coverage' || name === 'features' ? pick : p.category;
    if (!ofSolids(name)) {
      for (const l of ['solid', 'glass', 'before', 'read']) scene.colour(l, () => -1);
      return null;
    }
    scene.ramp(palette, palette.length);
    if (name === 'class') {
      const body = content.array('solid.face_body'), face = content.array('solid.face');
      for (const l of ['solid', 'glass']) scene.colour(l, (i) => at(Math.max(0, classes.indexOf(s.bodies[body[face[Math.floor(i / 3)]]].class))));
      return {name, items: classes.map((c, k) => ({text: `${s.bodies.filter((b) => b.class === c).length} ${c}`, colour: palette[k], count: s.bodies.filter((b) => b.class === c).length})).filter((x) => x.count)};
    }
    if (name === 'coverage') {
      const bare = content.array('solid.bare');
      for (const l of ['solid', 'glass']) scene.colour(l, (i) => at(bare[Math.floor(i / 3)] ? 1 : 0));
      return {name, items: [{text: `accounted for, ${(100 * s.prove.coverage).toFixed(1)} %`, colour: pick[0]}, {text: `no sheet, ${content.uncovered.length} patches`, colour: pick[1], striped: true}]};
    }
    const layer = content.has('before.face') ? 'before' : 'solid', face = content.array(layer + '.face'), body = content.array(layer + '.face_body');
    const first = [];
    body.forEach((b, i) => { if (first[b] === undefined) first[b] = i; });
    const state = new Uint8Array(body.length), counts = [0, 0, 0, 0, 0];
    for (const f of s.features) {
      const k = f.state === 'applied' ? 1 : f.state === 'refused' ? 3 : f.offered ? 2 : 4;
      ++counts[k];
      for (const n of f.faces) state[(first[f.body - 1] || 0) + n - 1] = k;
    }
    for (const l of [layer, ...(layer === 'solid' ? ['glass'] : [])]) scene.colour(l, (i) => at(state[face[Math.floor(i / 3)]]));
    const names = ['the rest', 'taken away', 'proposed', 'kept by the plan', 'others'];
    return {name, layer, items: names.map((text, k) => ({text: k ? `${counts[k]} ${text}` : text, colour: pick[k], count: k ? counts[k] : 1})).filter((x) => x.count)};
  }
}
