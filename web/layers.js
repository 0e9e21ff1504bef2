// From the content's arrays to what is drawn: corners of triangles, and segments as ribbons of a width in pixels.
// Everything belongs to a part: sheets, then members, then bodies; parts are moved, hidden and marked in one table of the scene.
const none = 0xffffffff;

export function partsOf(content) {
  const s = content.summary, sheets = s.sheets.length, members = s.members.length, bodies = s.bodies.length;
  return {
    sheet: (i) => i, member: (i) => sheets + i, body: (i) => sheets + members + i, count: sheets + members + bodies + 1, loose: sheets + members + bodies,
    bodyOf: (p) => (p < sheets ? s.sheets[p].body - 1 : p < sheets + members ? s.members[p - sheets].body - 1 : p < sheets + members + bodies ? p - sheets - members : -1),
    describe: (p) => (p < sheets ? {kind: 'sheet', index: p} : p < sheets + members ? {kind: 'member', index: p - sheets} : {kind: 'body', index: p - sheets - members}),
  };
}

// Corners of triangles, each with the shell and the (sheet, node) pair it stands for.
class Triangles {
  constructor(corners, triangles) {
    this.position = new Float32Array(3 * corners), this.part = new Float32Array(corners), this.id = new Float32Array(corners);
    this.rim = new Uint8Array(4 * corners), this.corner = new Uint32Array(corners), this.item = new Uint32Array(corners);
    this.node = new Uint32Array(corners);
    this.index = new Uint32Array(3 * triangles);
    this.corners = 0, this.indices = 0;
  }
  add(x, y, z, part, id, rim, corner, item, node) {
    const k = this.corners++;
    this.position[3 * k] = x, this.position[3 * k + 1] = y, this.position[3 * k + 2] = z;
    this.part[k] = part, this.id[k] = id, this.corner[k] = corner, this.item[k] = item, this.node[k] = node;
    for (let i = 0; i < 4; ++i) this.rim[4 * k + i] = 255 * rim[i];
    return k;
  }
  triangle(a, b, c) { this.index[this.indices++] = a, this.index[this.indices++] = b, this.index[this.indices++] = c; }
  trimmed() {
    const n = this.corners;
    return {
      position: this.position.subarray(0, 3 * n), part: this.part.subarray(0, n), id: this.id.subarray(0, n), rim: this.rim.subarray(0, 4 * n),
      corner: this.corner.subarray(0, n), item: this.item.subarray(0, n), node: this.node.subarray(0, n), index: this.index.subarray(0, this.indices),
    };
  }
}

// How far a corner is from each edge of its element, 0 to 1: element edges are drawn where one of these is nearly 0.
const quadRim = [[0, 1, 1, 0], [1, 1, 0, 0], [1, 0, 0, 1], [0, 0, 1, 1]].map((r) => r);
const triaRim = [[1, 0, 0, 1], [0, 1, 0, 1], [0, 0, 1, 1]];
const noRim = [1, 1, 1, 1];

export function shells(content, parts, firstId) {
  const node = content.array('node'), cornerNode = content.array('corner.node'), shell = content.array('shell'), sheet = content.array('shell.sheet');
  const count = shell.length / 4, t = new Triangles(4 * count, 2 * count);
  for (let i = 0; i < count; ++i) {
    const n = shell[4 * i + 3] === none ? 3 : 4, rims = n === 4 ? quadRim : triaRim, first = t.corners;
    for (let k = 0; k < n; ++k) {
      const c = shell[4 * i + k], p = cornerNode[c];
      t.add(node[3 * p], node[3 * p + 1], node[3 * p + 2], parts.sheet(sheet[i]), firstId + i, rims[k], c, i, p);
    }
    t.triangle(first, first + 1, first + 2);
    if (n === 4) t.triangle(first, first + 2, first + 3);
  }
  return t.trimmed();
}

// Normals at corners: the mean of the elements of one sheet round a node.
function cornerNormals(content) {
  const node = content.array('node'), cornerNode = content.array('corner.node'), shell = content.array('shell');
  const out = new Float32Array(3 * cornerNode.length);
  for (let i = 0; i < shell.length / 4; ++i) {
    const n = shell[4 * i + 3] === none ? 3 : 4, p = [];
    for (let k = 0; k < n; ++k) p.push(3 * cornerNode[shell[4 * i + k]]);
    const a = n === 4 ? [p[0], p[2]] : [p[0], p[1]], b = n === 4 ? [p[1], p[3]] : [p[0], p[2]];
    const u = [0, 1, 2].map((k) => node[a[1] + k] - node[a[0] + k]), v = [0, 1, 2].map((k) => node[b[1] + k] - node[b[0] + k]);
    const m = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
    for (let k = 0; k < n; ++k) for (let j = 0; j < 3; ++j) out[3 * shell[4 * i + k] + j] += m[j];
  }
  for (let i = 0; i < out.length; i += 3) {
    const l = Math.hypot(out[i], out[i + 1], out[i + 2]) || 1;
    out[i] /= l, out[i + 1] /= l, out[i + 2] /= l;
  }
  return out;
}

// Both skins, and the rims where a sheet ends.
export function plates(content, parts, firstId) {
  const node = content.array('node'), cornerNode = content.array('corner.node'), shell = content.array('shell'), sheet = content.array('shell.sheet');
  const thickness = content.array('shell.thickness'), offset = content.array('shell.offset'), normal = cornerNormals(content);
  const count = shell.length / 4, used = new Map();
  const key = (i, k, n) => {
    const a = shell[4 * i + k], b = shell[4 * i + (k + 1) % n];
    return a < b ? a * 4294967296 + b : b * 4294967296 + a;
  };
  const cornersOf = (i) => (shell[4 * i + 3] === none ? 3 : 4);
  for (let i = 0; i < count; ++i) for (let k = 0, n = cornersOf(i); k < n; ++k) used.set(key(i, k, n), (used.get(key(i, k, n)) || 0) + 1);
  let rims = 0;
  for (const v of used.values()) if (v === 1) ++rims;
  const t = new Triangles(8 * count + 4 * rims, 4 * count + 2 * rims);
  for (let i = 0; i < count; ++i) {
    const n = cornersOf(i), edges = n === 4 ? quadRim : triaRim, part = parts.sheet(sheet[i]);
    const at = (k, side, rim) => {
      const c = shell[4 * i + k], p = 3 * cornerNode[c], d = offset[i] + side * thickness[i] / 2;
      return t.add(node[p] + d * normal[3 * c], node[p + 1] + d * normal[3 * c + 1], node[p + 2] + d * normal[3 * c + 2], part, firstId + i, rim, c, i, p / 3);
    };
    for (const side of [1, -1]) {
      const first = t.corners;
      for (let k = 0; k < n; ++k) at(k, side, edges[k]);
      t.triangle(first, first + 1, first + 2);
      if (n === 4) t.triangle(first, first + 2, first + 3);
    }
    for (let k = 0; k < n; ++k) {
      if (used.get(key(i, k, n)) !== 1) continue;
      const first = t.corners, l = (k + 1) % n;
      at(k, -1, noRim), at(l, -1, noRim), at(l, 1, noRim), at(k, 1, noRim);
      t.triangle(first, first + 1, first + 2), t.triangle(first, first + 2, first + 3);
    }
  }
  return t.trimmed();
}

export function solids(content, parts, name, firstId) {
  const point = content.array(name + '.point'), corner = content.array(name + '.corner'), face = content.array(name + '.face');
  const body = content.array(name + '.face_body'), count = face.length, t = new Triangles(3 * count, count);
  for (let i = 0; i < count; ++i) {
    const first = t.corners;
    for (let k = 0; k < 3; ++k) {
      const p = 3 * corner[3 * i + k];
      t.add(point[p], point[p + 1], point[p + 2], parts.body(body[face[i]]), firstId + face[i], noRim, 0, i, 0);
    }
    t.triangle(first, first + 1, first + 2);
  }
  return t.trimmed();
}

// Members with their section: its outline from end to end of each beam.
export function sections(content, parts, firstId) {
  const node = content.array('node'), beam = content.array('beam'), member = content.array('beam.member'), axes = content.array('beam.axes');
  const offset = content.array('beam.offset'), count = beam.length / 2;
  let quads = 0;
  const profile = (i) => content.profiles[content.summary.members[member[i]].section].loops;
  for (let i = 0; i < count; ++i) for (const loop of profile(i)) quads += loop.length;
  const t = new Triangles(4 * quads, 2 * quads);
  for (let i = 0; i < count; ++i) {
    const at = (end, q, rim) => {
      const p = 3 * beam[2 * i + end], a = 12 * i + 6 * end;
      const c = [0, 1, 2].map((k) => node[p + k] + offset[3 * i + k] + q[0] * axes[a + k] + q[1] * axes[a + 3 + k]);
      return t.add(c[0], c[1], c[2], parts.member(member[i]), firstId + i, rim, 0, i, beam[2 * i + end]);
    };
    for (const loop of profile(i))
      for (let k = 0; k + 1 < loop.length; ++k) {
        const first = t.corners;
        at(0, loop[k], noRim), at(1, loop[k], noRim), at(1, loop[k + 1], noRim), at(0, loop[k + 1], noRim);
        t.triangle(first, first + 1, first + 2), t.triangle(first, first + 2, first + 3);
      }
  }
  return t.trimmed();
}

// Segments: four corners each, which the shader moves apart by the width.
export class Ribbons {
  constructor() { this.a = [], this.b = [], this.part = [], this.colour = [], this.width = [], this.dash = [], this.id = [], this.nodes = []; }
  add(a, b, part, colour, width, dash = 0, id = 0, nodes = [none, none]) {
    this.a.push(a[0], a[1], a[2]), this.b.push(b[0], b[1], b[2]);
    this.part.push(part), this.colour.push(...colour), this.width.push(width), this.dash.push(dash), this.id.push(id), this.nodes.push(nodes[0], nodes[1]);
  }
  get count() { return this.part.length; }
  arrays() {
    const n = this.count, four = (list, size) => {
      const out = new Float32Array(4 * size * n);
      for (let i = 0; i < n; ++i) for (let k = 0; k < 4; ++k) for (let j = 0; j < size; ++j) out[(4 * i + k) * size + j] = list[size * i + j];
      return out;
    };
    const side = new Float32Array(8 * n), index = new Uint32Array(6 * n);
    for (let i = 0; i < n; ++i) {
      side.set([0, -1, 0, 1, 1, -1, 1, 1], 8 * i);
      index.set([4 * i, 4 * i + 1, 4 * i + 2, 4 * i + 2, 4 * i + 1, 4 * i + 3], 6 * i);
    }
    return {position: four(this.a, 3), other: four(this.b, 3), part: four(this.part, 1), colour: four(this.colour, 3), width: four(this.width, 1),
      dash: four(this.dash, 1), id: four(this.id, 1), side, index, nodes: Uint32Array.from(this.nodes), count: n};
  }
}

const point = (array, i) => [array[3 * i], array[3 * i + 1], array[3 * i + 2]];

export function solidLines(content, parts, name, colour) {
  const r = new Ribbons(), line = content.array(name + '.line'), start = content.array(name + '.line_start'), body = content.array(name + '.line_body');
  for (let i = 0; i < start.length; ++i)
    for (let p = start[i]; p + 1 < (i + 1 < start.length ? start[i + 1] : line.length / 3); ++p)
      r.add(point(line, p), point(line, p + 1), parts.body(body[i]), colour, 1);
  return r.arrays();
}

// By the number of sheet sides on them: colour and width both say it.
export function edges(content, parts, colours) {
  const r = new Ribbons(), line = content.array('edge'), start = content.array('edge.start'), sides = content.array('edge.sides');
  const sheet = content.array('edge.sheet'), length = [0, 0, 0, 0];
  for (let i = 0; i < start.length; ++i) {
    const kind = Math.min(sides[i], 4) - 1;
    for (let p = start[i]; p + 1 < (i + 1 < start.length ? start[i + 1] : line.length / 3); ++p) {
      const a = point(line, p), b = point(line, p + 1);
      length[kind] += Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
      r.add(a, b, sheet[i] < 0 ? parts.loose : parts.sheet(sheet[i]), colours[kind], [2.4, 1, 1.8, 2.2][kind]);
    }
  }
  return {...r.arrays(), length};
}

export function memberLines(content, parts, colour, firstId) {
  const r = new Ribbons(), node = content.array('node'), beam = content.array('beam'), member = content.array('beam.member');
  for (let i = 0; i < member.length; ++i)
    r.add(point(node, beam[2 * i]), point(node, beam[2 * i + 1]), parts.member(member[i]), colour, 4, 0, firstId + i, [beam[2 * i], beam[2 * i + 1]]);
  return r.arrays();
}

export function links(content, parts, linkColour, tieColour) {
  const r = new Ribbons(), node = content.array('node'), link = content.array('link'), tie = content.array('tie');
  for (let i = 0; i < link.length / 2; ++i)
    r.add(point(node, link[2 * i]), point(node, link[2 * i + 1]), parts.loose, linkColour, 2.5, 6, 0, [link[2 * i], link[2 * i + 1]]);
  for (let i = 0; i < tie.length / 6; ++i) r.add(point(tie, 2 * i), point(tie, 2 * i + 1), parts.loose, tieColour, 2.5, 3);
  return r.arrays();
}

// Arrows of forces at nodes (place, force, moment in turn): the longest as long as given; moments as double heads.
export function arrows(content, parts, name, colour, longest, into) {
  const r = new Ribbons(), v = content.array(name);
  for (const [first, heads] of [[3, 1], [6, 2]]) {
    let most = 0;
    for (let i = 0; i < v.length; i += 9) most = Math.max(most, Math.hypot(v[i + first], v[i + first + 1], v[i + first + 2]));
    if (most === 0 || (first === 6 && heads === 2 && most < 1e-6)) continue;
    for (let i = 0; i < v.length; i += 9) {
      const f = [v[i + first], v[i + first + 1], v[i + first + 2]], size = Math.hypot(...f);
      if (size < 0.01 * most) continue;
      const d = f.map((x) => x / size), l = longest * (0.25 + 0.75 * size / most), p = [v[i], v[i + 1], v[i + 2]];
      const tip = into ? p : p.map((x, k) => x + l * d[k]), tail = into ? p.map((x, k) => x - l * d[k]) : p;
      r.add(tail, tip, parts.loose, colour, 2);
      const helper = Math.abs(d[2]) < 0.9 ? [0, 0, 1] : [1, 0, 0];
      const s = [d[1] * helper[2] - d[2] * helper[1], d[2] * helper[0] - d[0] * helper[2], d[0] * helper[1] - d[1] * helper[0]];
      for (let h = 0; h < heads; ++h)
        for (const side of [1, -1])
          r.add(tip.map((x, k) => x - (0.12 * h) * l * d[k]), tip.map((x, k) => x - (0.25 + 0.12 * h) * l * d[k] + side * 0.1 * l * s[k]), parts.loose, colour, 2);
    }
  }
  return r.arrays();
}

// Where supports hold (place, direction, kind in turn): a stroke with ends along each direction, dashed where it is sprung; a square where turning is held too.
export function supports(content, parts, colour, size) {
  const r = new Ribbons(), v = content.array('support');
  const stroke = (p, d, l, dash) => r.add(p.map((x, k) => x - l * d[k]), p.map((x, k) => x + l * d[k]), parts.loose, colour, 2, dash);
  for (let i = 0; i < v.length; i += 7) {
    const p = [v[i], v[i + 1], v[i + 2]], d = [v[i + 3], v[i + 4], v[i + 5]], kind = v[i + 6];
    if (kind === 2) {
      const h = 0.45 * size, corners = [[1, 0, 0], [0, 1, 0], [-1, 0, 0], [0, -1, 0]];
      for (const axes of [[0, 1, 2], [1, 2, 0]]) {
        const at = (c) => { const q = [...p]; q[axes[0]] += h * c[0], q[axes[1]] += h * c[1]; return q; };
        for (let k = 0; k < 4; ++k) r.add(at(corners[k]), at(corners[(k + 1) % 4]), parts.loose, colour, 1.5);
      }
      continue;
    }
    stroke(p, d, size, kind === 1 ? 4 : 0);
    const helper = Math.abs(d[2]) < 0.9 ? [0, 0, 1] : [1, 0, 0];
    const s = [d[1] * helper[2] - d[2] * helper[1], d[2] * helper[0] - d[0] * helper[2], d[0] * helper[1] - d[1] * helper[0]];
    for (const side of [1, -1]) stroke(p.map((x, k) => x + side * size * d[k]), s, 0.3 * size, 0);
  }
  return r.arrays();
}

// Section forces along members: a line beside each beam, as far off as the figure is large, with a stroke at either end.
export function diagram(content, parts, values, axis, longest, colour) {
  const r = new Ribbons(), node = content.array('node'), beam = content.array('beam'), member = content.array('beam.member'), axes = content.array('beam.axes');
  let most = 0;
  for (const v of values) most = Math.max(most, Math.abs(v));
  if (most === 0) return r.arrays();
  for (let i = 0; i < member.length; ++i) {
    const at = (end) => point(node, beam[2 * i + end]);
    const off = (end) => {
      const p = at(end), a = 12 * i + 6 * end + 3 * axis, d = longest * values[2 * i + end] / most;
      return p.map((x, k) => x + d * axes[a + k]);
    };
    r.add(off(0), off(1), parts.member(member[i]), colour(values[2 * i]), 2.5);
    r.add(at(0), off(0), parts.member(member[i]), colour(values[2 * i]), 1);
    r.add(at(1), off(1), parts.member(member[i]), colour(values[2 * i + 1]), 1);
  }
  return r.arrays();
}
