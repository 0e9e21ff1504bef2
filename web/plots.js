// Small drawings in the lists: histograms, sections to scale, lines of a study.
const ns = 'http://www.w3.org/2000/svg';
export function svg(width, height, label) {
  const s = document.createElementNS(ns, 'svg');
  s.setAttribute('viewBox', `0 0 ${width} ${height}`), s.setAttribute('width', width), s.setAttribute('height', height);
  s.setAttribute('role', 'img'), s.setAttribute('aria-label', label);
  return s;
}
export function shape(parent, name, attributes, text) {
  const e = document.createElementNS(ns, name);
  for (const [k, v] of Object.entries(attributes)) e.setAttribute(k, v);
  if (text !== undefined) e.textContent = text;
  parent.append(e);
  return e;
}

// Bars that select what they count.
export function histogram(values, {low, high, bins = 10, limit, least, label, figure, chosen}) {
  const counts = new Array(bins).fill(0), bin = (v) => Math.max(0, Math.min(bins - 1, Math.floor((v - low) / (high - low || 1) * bins)));
  for (const v of values) ++counts[bin(v)];
  const w = 420, h = 132, left = 8, base = 96, most = Math.max(1, ...counts), s = svg(w, h, label), step = (w - 2 * left) / bins;
  for (let k = 0; k < bins; ++k) {
    const from = low + (high - low) * k / bins, to = low + (high - low) * (k + 1) / bins, tall = counts[k] ? Math.max(2, 78 * counts[k] / most) : 0;
    const outside = limit > 0 && (least ? to <= limit : from >= limit);
    const g = shape(s, 'g', {class: 'bar' + (outside ? ' outside' : ''), tabindex: counts[k] ? 0 : -1, role: 'button', 'aria-label': `${counts[k]} elements from ${figure(from)} to ${figure(to)}`});
    shape(g, 'rect', {x: left + k * step, y: 10, width: step - 2, height: 86, class: 'back'});
    shape(g, 'rect', {x: left + k * step, y: base - tall, width: step - 2, height: tall, class: 'fill'});
    shape(g, 'text', {x: left + (k + 0.5) * step - 1, y: base - tall - 3, 'text-anchor': 'middle'}, counts[k] || '');
    shape(s, 'text', {x: left + k * step, y: base + 14, 'text-anchor': 'middle', class: 'tick'}, figure(from, 2));
    if (!counts[k]) continue;
    const choose = () => {
      const list = [];
      values.forEach((v, i) => { if (bin(v) === k) list.push(i); });
      chosen(list, `${figure(from)} to ${figure(to)}`);
    };
    g.addEventListener('click', choose);
    g.addEventListener('keydown', (e) => { if (e.key === 'Enter' || e.key === ' ') choose(), e.preventDefault(); });
  }
  shape(s, 'text', {x: w - left, y: base + 14, 'text-anchor': 'end', class: 'tick'}, figure(high, 2));
  if (limit > 0) {
    const x = left + (w - 2 * left) * (limit - low) / (high - low || 1);
    if (x >= left && x <= w - left) shape(s, 'line', {x1: x, x2: x, y1: 4, y2: base, class: 'limit'});
    shape(s, 'text', {x: left, y: base + 30, class: 'tick'}, `limit ${least ? 'at least' : 'at most'} ${figure(limit)}` + (x >= left && x <= w - left ? ', dashed line' : ''));
  }
  return s;
}

// A profile with its axes, to the scale that is written beside it.
export function profile(loops, section, figure) {
  const all = loops.flat(), s = svg(200, 170, `section ${section.shape}, to scale`);
  if (!all.length) return s;
  const xs = all.map((p) => p[0]), ys = all.map((p) => p[1]);
  const w = Math.max(...xs) - Math.min(...xs), h = Math.max(...ys) - Math.min(...ys), scale = Math.min(150 / (w || 1), 120 / (h || 1));
  const cx = (Math.max(...xs) + Math.min(...xs)) / 2, cy = (Math.max(...ys) + Math.min(...ys)) / 2;
  const at = (p) => [100 + scale * (p[0] - cx), 72 - scale * (p[1] - cy)];
  const d = loops.map((l) => 'M' + l.map((p) => at(p).map((v) => v.toFixed(2)).join(' ')).join('L') + 'Z').join('');
  shape(s, 'path', {d, class: 'profile', 'fill-rule': 'evenodd'});
  const [ox, oy] = at([0, 0]);
  for (const [dx, dy, name] of [[24, 0, 'y'], [0, -24, 'z']]) {
    shape(s, 'line', {x1: ox, y1: oy, x2: ox + dx, y2: oy + dy, class: 'axis'});
    shape(s, 'text', {x: ox + dx * 1.3 - 3, y: oy + dy * 1.3 + 4, class: 'tick'}, name);
  }
  const c = section.shear_centre || [0, 0], [sx, sy] = at(c);
  if (Math.hypot(...c) > 0.01 * Math.max(w, h)) {
    shape(s, 'path', {d: `M${sx - 4} ${sy}H${sx + 4}M${sx} ${sy - 4}V${sy + 4}`, class: 'axis'});
    shape(s, 'text', {x: sx + 5, y: sy + 12, class: 'tick'}, 'shear centre');
  }
  shape(s, 'text', {x: 100, y: 162, 'text-anchor': 'middle', class: 'tick'}, `${figure(section.size[0])} x ${figure(section.size[1])} mm`);
  return s;
}

// One figure of a study over the first key that is varied.
export function line(study, f, figure) {
  const w = 420, h = 170, s = svg(w, h, f.name), numeric = study.runs.map((r) => parseFloat(r[0]));
  const xs = numeric.every(Number.isFinite) ? numeric : study.runs.map((_, i) => i), points = [];
  f.values.forEach((v, i) => { if (v !== null) points.push([xs[i], v]); });
  shape(s, 'text', {x: 8, y: 14}, f.name + (f.unit ? ', ' + f.unit : ''));
  if (!points.length) return s;
  points.sort((a, b) => a[0] - b[0]);
  const values = points.map((p) => p[1]).concat(f.limit === null ? [] : [f.limit]);
  let low = Math.min(...values), high = Math.max(...values);
  if (high - low < 1e-9 * Math.max(Math.abs(high), 1e-30)) low -= 1, high += 1;
  const first = points[0][0], last = points[points.length - 1][0];
  const x = (v) => 60 + 340 * (v - first) / (last - first || 1), y = (v) => 140 - 112 * (v - low) / (high - low);
  for (const v of [low, high]) {
    shape(s, 'line', {x1: 56, x2: 404, y1: y(v), y2: y(v), class: 'grid'});
    shape(s, 'text', {x: 52, y: y(v) + 4, 'text-anchor': 'end', class: 'tick'}, figure(v));
  }
  shape(s, 'path', {d: 'M' + points.map((p) => `${x(p[0]).toFixed(1)} ${y(p[1]).toFixed(1)}`).join('L'), class: 'curve'});
  for (const p of points) shape(s, 'circle', {cx: x(p[0]), cy: y(p[1]), r: 3, class: 'dot'});
  if (f.limit !== null) {
    shape(s, 'line', {x1: 60, x2: 400, y1: y(f.limit), y2: y(f.limit), class: 'limit'});
    shape(s, 'text', {x: 400, y: y(f.limit) - 4, 'text-anchor': 'end', class: 'tick'}, `tends to ${figure(f.limit, 5)}, order ${figure(f.order, 2)}`);
  }
  for (const v of [first, last]) shape(s, 'text', {x: x(v), y: 158, 'text-anchor': v === first ? 'start' : 'end', class: 'tick'}, figure(v) + (v === first ? '  ' + study.varied[0] : ''));
  return s;
}
