// The lists: what each shows, where a row is in the scene, and what can be taken or left there.
import {element, said, Table} from 'halvo/lists';
import {figure, percent, placeText} from 'halvo/content';
import {histogram, line, profile} from 'halvo/plots';

const column = (title, of, more = {}) => ({title, of, ...more});
const number = (title, of, more = {}) => column(title, of, {number: true, ...more});
const range = (t) => (Math.abs(t.max - t.min) < 5e-4 * Math.max(1, t.max) ? figure(t.mean ?? t.max) : `${figure(t.min)} to ${figure(t.max)}`);
const small = (v) => (Math.abs(v) < 1e-6 ? 0 : v);

function facts(list) {
  return element('dl', {}, list.filter((x) => x && x[1] !== '' && x[1] !== undefined && x[1] !== null).map(([k, v]) => [element('dt', {}, k), element('dd', {}, v instanceof Node ? v : said(v))]));
}

// app: content, scene, choices, go(row), colour(name), selectElements(list, text), address state.
export function panels(app) {
  const {content, parts, choices} = app, s = content.summary, label = (b) => (b > 0 && s.bodies[b - 1] ? s.bodies[b - 1].label : '');
  const between = (b) => (b[0] === b[1] ? `within ${label(b[0])}` : `${label(b[0])} and ${label(b[1])}`);
  const carries = (x) => (x.carries ? `${figure(x.carries.force)} N and ${figure(x.carries.moment)} N mm at most, ${figure(100 * x.carries.share, 3)} % of all that pushes in ${x.carries.case}` : '');
  const panelsByName = new Map();
  const add = (id, title, count, build) => panelsByName.set(id, {id, title, count, build});

  // A table, with what is known of the chosen row under it.
  const listed = (panel, columns, rows, options) => {
    const detail = element('div', {class: 'detail', 'aria-live': 'polite'});
    const show = (r) => detail.replaceChildren(...(options.detail ? options.detail(r) : []));
    const table = new Table(panel, columns, rows, {
      name: options.name, key: options.key, size: options.size, tools: options.tools, sorted: options.sorted, down: options.down, words: app.words, searched: app.searched,
      chosen: (r, more) => { show(r); app.go({tab: app.tab, key: options.key(r), ...options.where(r)}, more); },
    });
    panel.append(detail);
    app.table = table;
    app.flagged = () => table.list.slice(0, 60).map((r) => ({text: options.flag ? options.flag(r) : '', place: options.where(r).place, choose: () => { table.choose(r); }})).filter((f) => f.text !== '' && f.place);
    app.selectRow = (key) => {
      const r = rows.find((x) => String(options.key(x)) === String(key));
      if (!r) return false;
      if (!table.list.includes(r)) table.words = table.find.value = '', table.most = null, table.fill();
      table.select(options.key(r)), show(r);
      return r;
    };
    app.whereOf = options.where;
  };

  const buttonsFor = (d, more = []) => {
    if (!d) return [];
    const made = choices.made.get(d.id), one = (what, text) => (choices.can(d, what) || made === what
      ? element('button', {type: 'button', class: 'choice', 'aria-pressed': String(made === what), onclick: () => { choices.set([d.id], made === what ? '' : what); app.refresh(); }}, text) : null);
    return [element('p', {class: 'actions'}, one('take', 'Take'), one('leave', 'Leave'), ...more)];
  };
  const many = (ids, what, text) => {
    const fit = ids.filter((id) => { const d = choices.decision.get(id); return d && choices.can(d, what); });
    return fit.length > 1 ? element('button', {type: 'button', onclick: () => { choices.set(fit, what); app.refresh(); }}, `${text} (${fit.length})`) : null;
  };
  const choiceColumn = (of) => column('choice', (r) => { const d = of(r); return d ? choices.made.get(d.id) || '' : ''; }, {text: (r) => {
    const d = of(r), box = element('span', {class: 'pair'});
    for (const [what, text] of [['take', 'take'], ['leave', 'leave']])
      if (d && (choices.can(d, what) || choices.made.get(d.id) === what))
        box.append(element('button', {type: 'button', 'data-choice': what, 'aria-pressed': String(choices.made.get(d.id) === what), 'aria-label': `${text} ${d.id}`,
          onclick: (e) => { e.stopPropagation(); choices.set([d.id], choices.made.get(d.id) === what ? '' : what); app.refresh(); }}, text));
    return box;
  }});

  // ---- what matters first
  const problems = content.groups.filter((g) => !g.note);
  add('overview', 'Overview', '', (panel) => {
    const p = s.prove, proved = s.stage === 'prove' || s.stage === 'solve', m = s.mesh;
    const verdict = !proved ? 'Not proved yet.' : p.within_bounds ? 'The model stands for the solids: every figure is within its bound.' : 'Outside its bounds: ' + p.outside.join('; ');
    panel.append(element('p', {class: proved && p.within_bounds ? 'good' : 'bad'}, (proved && p.within_bounds ? '\u2713 ' : '\u26a0 ') + verdict));
    panel.append(facts([
      ['solids', `${s.bodies.length} bodies, ${content.scene.size.map((v) => figure(v)).join(' x ')} mm, file unit ${s.source.unit}`],
      ['model', `${s.sheets.length} sheets, ${s.members.length} members, ${s.sections.length} sections, ${s.joints.length} joints, ${s.seams.length} seams`],
      ['mesh', m.nodes ? `${m.nodes} nodes, ${m.quads} quads, ${m.trias} trias, ${m.lines} lines, ${m.links} links${m.ties ? `, ${m.ties} tied nodes` : ''}; ${m.parts} connected ${m.parts === 1 ? 'part' : 'parts'}` : ''],
      ['volume', proved ? `${percent(p.volume_error)} in all, worst body ${percent(p.worst_body_volume_error)}` : ''],
      ['skin covered', proved ? `${(100 * p.coverage).toFixed(1)} %` : ''],
      ['contacts', proved ? `${p.contacts} of the solids, ${p.unconnected.length} without a joint` : ''],
      ['solution', s.solution ? `${s.solution.unknowns} unknowns, mass ${figure(1000 * s.solution.mass)} kg` : ''],
      ['time', Object.entries(s.timing).map(([k, v]) => `${k} ${v.toFixed(2)} s`).join(', ')],
    ]));
    if (s.results) panel.append(element('h3', {}, 'Cases'), element('ul', {class: 'links'}, s.results.map((r, i) => element('li', {}, element('button', {type: 'button', onclick: () => app.showCase('case', i, 'von Mises, worse skin')}, said(r.case)), ` moves ${figure(r.max_displacement)} mm at most, von Mises ${figure(r.max_von_mises)} MPa at most`))));
    panel.append(element('h3', {}, `Findings (${problems.length})`));
    if (!problems.length) panel.append(element('p', {}, 'none'));
    panel.append(element('ol', {class: 'links'}, problems.slice(0, 20).map((g, i) => element('li', {}, element('button', {type: 'button', onclick: () => app.open('findings', g.items[0].id)}, said(g.about))))));
    const open = content.decisions.filter((d) => d.state === 'proposed' && (d.take || d.leave)).length;
    panel.append(element('p', {}, `${content.decisions.length} decisions, ${open} of them proposals to take or leave: `, element('button', {type: 'button', onclick: () => app.open('decisions')}, 'see them'), '.'));
    app.flagged = () => problems.slice(0, 20).map((g, i) => ({text: String(i + 1), place: content.local(g.items[0].place), choose: () => app.open('findings', g.items[0].id)}));
  });

  add('bodies', 'Bodies', s.bodies.length, (panel) => listed(panel, [
    number('#', (b) => b.id), column('body', (b) => b.label), column('class', (b) => b.class || ''), number('volume mm\u00b3', (b) => b.volume),
    number('off %', (b) => 100 * (b.volume_error ?? NaN)), number('mesh off %', (b) => 100 * (b.mesh_volume_error ?? NaN)), column('walls mm', (b) => (b.thickness && b.thickness.max ? range(b.thickness) : '')),
  ], s.bodies, {name: 'bodies', key: (b) => b.id, flag: (b) => String(b.id), where: (b) => ({parts: app.partsOfBody(b.id - 1), place: content.local(b.centre)}),
    detail: (b) => [facts([['name', b.path || b.name], ['why', b.why], ['id', b.key], ['idealized', b.idealized_volume === undefined ? '' : `${figure(b.idealized_volume)} mm\u00b3`], ['faces', b.faces], ['centre', placeText(b.centre)]])]}));

  add('sheets', 'Sheets', s.sheets.length, (panel) => listed(panel, [
    number('#', (k) => k.id), column('body', (k) => label(k.body)), column('surface', (k) => k.surface), number('area mm\u00b2', (k) => k.area), column('thickness mm', (k) => k.thickness.mean, {text: (k) => range(k.thickness)}),
    number('deviation', (k) => k.deviation),
  ], s.sheets, {name: 'sheets', key: (k) => k.id, flag: (k) => String(k.id), where: (k) => ({parts: [parts.sheet(k.id)], place: app.centreOf(parts.sheet(k.id))}),
    detail: (k) => {
      const wall = k.wall || k.key, d = choices.decision.get(wall);
      return [facts([['id', k.key], ['wall', k.wall], ['faces of its body', k.faces.map((f) => f.map((x) => x + 1).slice(0, 8).join(', ')).filter(Boolean).join(' against ')], ['offset', k.offset ? `${figure(k.offset)} mm` : ''],
        ['midsurface', k.deviation > 0 ? `fitted, off by ${figure(k.deviation)} mm at most` : 'exact'], ['why', d ? d.about : '']]), ...buttonsFor(d)];
    }}));

  // Sheets that are the midsurface of one wall, or of parts of it.
  const walls = [...s.sheets.reduce((all, k) => { const id = k.wall || k.key, w = all.get(id); if (w) w.sheets.push(k); else all.set(id, {id, sheets: [k]}); return all; }, new Map()).values()].map((w) => ({...w, body: w.sheets[0].body,
    surface: w.sheets[0].surface, area: w.sheets.reduce((a, k) => a + k.area, 0), thickness: {min: Math.min(...w.sheets.map((k) => k.thickness.min)), mean: w.sheets[0].thickness.mean, max: Math.max(...w.sheets.map((k) => k.thickness.max))}}));
  add('walls', 'Walls', walls.length, (panel) => listed(panel, [
    column('body', (w) => label(w.body)), column('kind', (w) => w.surface), number('area mm\u00b2', (w) => w.area), column('thickness mm', (w) => w.thickness.mean, {text: (w) => range(w.thickness)}),
    number('sheets', (w) => w.sheets.length), column('id', (w) => w.id), choiceColumn((w) => choices.decision.get(w.id)),
  ], walls, {name: 'walls', key: (w) => w.id, size: 2, where: (w) => ({parts: w.sheets.map((k) => parts.sheet(k.id))}),
    tools: (list) => [many(list.map((w) => w.id), 'leave', 'Leave all shown')].filter(Boolean),
    detail: (w) => { const d = choices.decision.get(w.id); return [facts([['why', d ? d.about : ''], ['sheets', w.sheets.map((k) => k.id).join(', ')]]), ...buttonsFor(d)]; }}));

  if (s.members.length) add('members', 'Members', s.members.length, (panel) => listed(panel, [
    number('#', (k) => k.id), column('body', (k) => label(k.body)), number('length mm', (k) => k.length), column('section', (k) => s.sections[k.section].shape),
    column('dimensions mm', (k) => Object.entries(s.sections[k.section].dimensions).map(([n, v]) => `${n} ${figure(v)}`).join(', ')),
  ], s.members, {name: 'members', key: (k) => k.id, flag: (k) => String(k.id), where: (k) => ({parts: [parts.member(k.id)], place: app.centreOf(parts.member(k.id))}),
    detail: (k) => {
      const sec = s.sections[k.section];
      return [profile(content.profiles[k.section].loops, {...sec, size: content.profiles[k.section].size}, figure), facts([['id', k.key], ['area', `${figure(sec.area)} mm\u00b2`], ['Iy, Iz, Iyz', [sec.iyy, sec.izz, Math.abs(sec.iyz) < 1e-9 * sec.iyy ? 0 : sec.iyz].map((v) => figure(v)).join(', ') + ' mm\u2074'],
        ['torsion', `${figure(sec.j)} mm\u2074`], ['from', placeText(k.start)], ['to', placeText(k.end)]]), ...buttonsFor(choices.decision.get(k.key))];
    }}));

  const joints = s.joints.map((j, i) => ({...j, number: i})).concat(content.near.map((n, i) => ({...n, number: s.joints.length + i, kind: 'open gap', state: 'open', length: NaN, moved: NaN})));
  add('joints', 'Joints', joints.length, (panel) => listed(panel, [
    number('#', (j) => j.number), column('kind', (j) => j.kind), column('between', (j) => between(j.bodies)), number('gap mm', (j) => small(j.gap)),
    number('length', (j) => small(j.length)), ...(s.results ? [number('load %', (j) => (j.carries ? 100 * j.carries.share : NaN))] : []), column('state', (j) => j.state), choiceColumn((j) => choices.decision.get(j.id)),
  ], joints, {name: 'joints', key: (j) => j.id, size: 3, flag: (j) => (j.state === 'refused' ? `${j.number} refused` : j.state === 'open' ? `${j.number} open` : String(j.number)),
    where: (j) => ({parts: app.partsOfKeys([j.a, j.b]), place: content.local(j.place), close: true}),
    tools: (list) => [many(list.map((j) => j.id), 'leave', 'Leave all shown'), many(list.map((j) => j.id), 'take', 'Take all shown')].filter(Boolean),
    detail: (j) => {
      const d = choices.decision.get(j.id);
      if (j.state !== 'open') return [facts([['id', j.id], ['place', placeText(j.place)], ['carried on by', `${figure(small(j.moved))} mm`], ['carries', carries(j)], ['why', d ? d.about : '']]), ...buttonsFor(d)];
      const reach = Math.ceil(1.05 * j.gap * 20) / 20;
      return [facts([['id', j.id], ['place', placeText(j.place)], ['why', `wider than join.reach, ${figure(content.plan.reach)} mm`]]),
        element('p', {class: 'actions'}, element('button', {type: 'button', onclick: () => { choices.value('join.reach', `${reach} mm`); app.refresh(); }}, `Close gaps up to ${reach} mm`))];
    }}));

  const rank = (d) => (d.state === 'proposed' && (d.take || d.leave) ? 0 : d.state === 'refused' ? 1 : 2);  // what waits for an answer comes first
  const decisionColumns = () => [column('kind', (d) => `${d.stage}: ${d.kind}`), column('state', (d) => d.state), column('about', (d) => d.about, {wide: true}), number('size', (d) => small(d.value)), choiceColumn((d) => d)];
  const decisionList = (rows, name) => (panel) => listed(panel, decisionColumns(), rows, {name, key: (d) => d.id, size: 3, flag: (d) => String(rows.indexOf(d) + 1),
    where: (d) => ({parts: app.partsOfKeys([d.id]), place: content.local(d.place), close: true}),
    tools: (list) => [many(list.map((d) => d.id), 'take', 'Take all shown'), many(list.map((d) => d.id), 'leave', 'Leave all shown')].filter(Boolean),
    detail: (d) => [facts([['id', d.id], ['about', d.about], ['place', placeText(d.place)]]), ...(d.take || d.leave ? buttonsFor(d) : [element('p', {}, 'No key of the plan speaks of this one alone.')])]});
  add('decisions', 'Decisions', content.decisions.length, decisionList([...content.decisions].sort((a, b) => rank(a) - rank(b)), 'decisions'));
  const repairs = content.decisions.filter((d) => d.stage === 'mend');
  if (repairs.length) add('repairs', 'Repairs', repairs.length, decisionList(repairs, 'repairs'));

  if (s.features.length) add('features', 'Features', s.features.length, (panel) => {
    const features = s.features.map((f, i) => ({...f, number: i + 1}));
    listed(panel, [number('#', (f) => f.number), column('kind', (f) => f.kind), column('form', (f) => f.form), number('size mm', (f) => f.size), number('alike', (f) => f.alike), column('state', (f) => (f.state === 'proposed' && !f.offered ? 'found' : f.state)),
      column('pattern', (f) => f.pattern || f.bolt), choiceColumn((f) => choices.decision.get(f.id))], features, {name: 'features', key: (f) => f.id, size: 3, flag: (f) => String(f.number),
      where: (f) => ({place: content.local(f.place), parts: [], close: true, near: 8 * f.size, faces: app.facesOf(f.body - 1, f.faces)}),
      tools: (list) => [many(list.map((f) => f.id), 'take', 'Take all shown'), many(list.map((f) => f.id), 'leave', 'Leave all shown')].filter(Boolean),
      detail: (f) => {
        const alike = features.filter((x) => x.family === f.family).map((x) => x.id), key = {hole: 'strip.holes', round: 'strip.rounds', chamfer: 'strip.chamfers', raised: 'strip.raised', sunk: 'strip.raised'}[f.kind];
        const limit = Math.ceil(f.size * 1000) / 1000;
        return [facts([['id', f.id], ['body', label(f.body)], ['volume', `${f.volume >= 0 ? '+' : ''}${figure(f.volume)} mm\u00b3 when it goes`], ['pattern', f.pattern], ['looks like a bolt hole', f.bolt], ['why', f.why], ['place', placeText(f.place)]]),
          ...buttonsFor(choices.decision.get(f.id), [many(alike, 'take', 'Take all alike'), many(alike, 'leave', 'Leave all alike'),
            key ? element('button', {type: 'button', onclick: () => { choices.value(key, `${limit} mm`); app.refresh(); }}, `Take all ${f.kind === 'sunk' ? 'raised and sunk' : f.kind + 's'} up to ${limit} mm`) : null].filter(Boolean))];
      }});
  });

  const findings = content.groups.flatMap((g, i) => g.items.map((f) => ({...f, group: i + 1, of: g.items.length, note: g.note, said: g.about})));
  add('findings', 'Findings', problems.length, (panel) => listed(panel, [number('group', (f) => f.group), column('kind', (f) => f.kind), column('about', (f) => f.about, {wide: true}), column('body', (f) => f.body), number('size', (f) => f.size), column('level', (f) => (f.note ? 'note' : 'warning'))],
    findings, {name: 'findings', key: (f) => f.id, flag: (f) => String(f.group), where: (f) => ({place: content.local(f.place), parts: [], close: true, near: 6 * f.size}),
      detail: (f) => [facts([['about', f.about], ['what to do', f.advice], ['one of', f.of > 1 ? `${f.of}: ${f.said}` : ''], ['place', placeText(f.place)], ['id', f.id]])]}));

  if (s.stage === 'prove' || s.stage === 'solve') add('proof', 'Proof', '', (panel) => {
    const p = s.prove, t = p.thickness;
    panel.append(element('h3', {}, 'Solid against model against mesh'), facts([
      ['volume in all', percent(p.volume_error)], ['worst body', percent(p.worst_body_volume_error)], ['bound', `${(100 * content.plan.bound).toFixed(1)} %`], ['mesh weighs', percent(p.mesh_mass_error)], ['worst body of it', percent(p.worst_body_mesh_error)],
      ['mass centre off by', `${figure(p.centroid_error)} mm`], ['skin covered', `${(100 * p.coverage).toFixed(2)} %`],
      ['thickness off by', t.elements ? `${figure(100 * t.mean, 2)} % on the mean, ${figure(100 * t.p95, 2)} % at 95 % of elements, ${figure(100 * t.worst, 2)} % at worst` : ''],
      ['middle off by', p.deviation.elements ? `${figure(p.deviation.worst, 2)} mm at worst` : ''], ['parts', p.parts], ['rigid-body modes', p.rigid_body_modes + (p.mechanisms ? `, ${p.mechanisms} of them mechanisms` : '')]]));
    if (content.uncovered.length) panel.append(element('h3', {}, 'Skin without a sheet'), element('ul', {class: 'links'}, content.uncovered.slice(0, 30).map((u) => element('li', {}, element('button', {type: 'button', onclick: () => { app.setColour('coverage'); app.go({tab: 'proof', place: content.local(u.place), near: 6 * Math.sqrt(u.area)}); }}, said(`${figure(u.area)} mm\u00b2 of ${label(u.body)}`))))));
    panel.append(element('h3', {}, 'Contacts of the solids, and whether the model carries them'));
    const contacts = content.contacts.map((c, i) => ({...c, number: i + 1}));
    listed(panel, [number('#', (c) => c.number), column('between', (c) => between(c.bodies)), number('gap mm', (c) => small(c.gap)), column('joined', (c) => (c.joined ? 'yes' : 'NO'))],
      contacts, {name: 'contacts', key: (c) => c.number, sorted: 3, flag: (c) => (c.joined ? '' : String(c.number)), where: (c) => ({place: content.local(c.place), parts: c.bodies.flatMap((b) => app.partsOfBody(b - 1)), close: true})});
  });

  if (content.quality.length) add('quality', 'Quality', '', (panel) => {
    const arrays = {'scaled Jacobian': ['shell.quality', 'scaled Jacobian'], aspect: ['shell.aspect', 'aspect ratio'], 'aspect ratio': ['shell.aspect', 'aspect ratio'], warpage: ['shell.warpage', 'warpage'], skew: ['shell.skew', 'skew'], taper: ['shell.taper', '']};
    panel.append(element('p', {}, 'A bar selects its elements.'));
    for (const q of content.quality) {
      const known = arrays[q.name];
      panel.append(element('h3', {}, element('button', {type: 'button', onclick: () => { if (known && known[1]) app.setColour(known[1]); app.go({tab: 'quality', place: content.local(q.place), elements: [app.shellOfElement(q.element)], close: true}); }, title: 'Go to the worst'}, `${q.name}${q.unit ? ', ' + q.unit : ''}: worst ${figure(small(q.worst))}`), element('small', {}, ` mean ${figure(small(q.mean))}${q.limit > 0 ? `, ${q.outside} outside ${q.least ? 'at least' : 'at most'} ${figure(q.limit)}` : ''}`)));
      if (!known) continue;
      const values = content.array(known[0]), unit = q.name === 'scaled Jacobian' || q.name === 'taper';
      let high = 0;
      for (const v of values) high = Math.max(high, v);
      panel.append(histogram(values, {low: q.name.startsWith('aspect') ? 1 : 0, high: unit ? 1 : high > 1e-6 ? high : 1, limit: q.limit, least: q.least, label: `elements by ${q.name}`, figure,
        chosen: (list, text) => app.selectElements(list, `${list.length} elements with ${q.name} ${text}`)}));
    }
    app.flagged = () => content.quality.filter((q) => q.outside > 0).map((q) => ({text: q.name, place: content.local(q.place), choose: () => app.go({tab: 'quality', place: content.local(q.place), close: true})}));
  });

  if (s.results) add('results', 'Results', s.results.length + (s.modes || []).length, (panel) => {
    panel.append(element('h3', {}, 'Cases'));
    const three = (v) => v.map((x) => figure(Math.abs(x) < 1e-6 * Math.hypot(...v) ? 0 : x)).join(', ');
    for (const [i, r] of s.results.entries())
      panel.append(element('section', {class: 'case'}, element('h4', {}, element('button', {type: 'button', 'data-case': r.case, onclick: () => app.showCase('case', i)}, said(r.case))), facts([
        ['moves', element('button', {type: 'button', onclick: () => { app.showCase('case', i, 'displacement'); app.go({tab: 'results', place: content.local(r.max_displacement_at), close: true}); }}, `${figure(r.max_displacement)} mm at most`)],
        ['von Mises', element('button', {type: 'button', onclick: () => { app.showCase('case', i, 'von Mises, worse skin'); app.go({tab: 'results', place: content.local(r.max_von_mises_at), close: true}); }}, `${figure(r.max_von_mises)} MPa at most`)],
        ['there', r.peak ? `${r.peak}; elsewhere ${figure(r.max_von_mises_elsewhere)} MPa` : ''], ['applied', three(r.applied.force) + ' N'], ['reactions', three(r.reactions.force) + ' N'],
        ...r.supports.map((k) => [k.name, `${three(k.force)} N; ${three(k.moment)} N mm about the origin`]), ['left over', r.residual.toExponential(1) + ' of the load'], ['strain energy', `${figure(r.energy)} N mm`], ['stress off by', `${(100 * r.stress_error).toFixed(1)} % (energy norm)`]])));
    if (s.reference) {
      panel.append(element('h3', {}, `Beside a solid of ${s.reference.elements} elements`), element('p', {}, `${s.reference.body}: ${s.reference.sweep}`));
      listed(panel, [column('figure', (r) => r.what), column('case', (r) => r.case), number('shells and beams', (r) => r.model), number('solid', (r) => r.solid), column('unit', (r) => r.unit), number('off %', (r) => 100 * r.difference)],
        s.reference.figures.map((r, i) => ({...r, number: i + 1})), {name: 'reference', key: (r) => r.number});
    }
    if (s.probes.length) {
      panel.append(element('h3', {}, 'Probes'));
      const probes = s.probes.map((p, i) => ({...p, number: i + 1}));
      listed(panel, [column('probe', (p) => p.name), column('case', (p) => p.case), column('of', (p) => p.of), number('least', (p) => p.min), number('most', (p) => p.max), number('mean', (p) => p.mean), column('unit', (p) => p.unit), ...(probes.some((p) => p.known) ? [number('known', (p) => (p.known ? p.known.value : NaN)), number('off %', (p) => (p.known ? 100 * p.known.difference : NaN))] : [])], probes,
        {name: 'probes', key: (p) => p.number, flag: (p) => p.name, where: (p) => ({place: content.local(p.max_at), parts: [], close: true}), detail: (p) => [facts([['most at', placeText(p.max_at)], ['least at', placeText(p.min_at)], ['sum', `${figure(p.sum)} ${p.unit}, of ${p.count}`], ['closed form', p.known ? `${p.known.form}: ${figure(p.known.value)} ${p.unit}, held against ${p.known.figure}` : '']])]});
    }
    if ((s.modes || []).length) panel.append(element('h3', {}, 'Modes'), element('ol', {class: 'links'}, s.modes.map((m, i) => element('li', {}, element('button', {type: 'button', 'data-mode': m.number, onclick: () => app.showCase('mode', i, 'displacement', true)}, `${figure(m.frequency)} Hz`)))));
    panel.append(element('h3', {}, 'What it is made of'), element('table', {}, element('thead', {}, element('tr', {}, ['of', 'material', 'thickness or section', 'mass kg', 'passes on % of load'].map((t) => element('th', {scope: 'col'}, t)))),
      element('tbody', {}, s.properties.slice(0, 300).map((p) => element('tr', {}, [said(p.body), said(p.material), said(p.section || `${figure(p.thickness)} mm`), figure(1000 * p.mass), p.carries ? figure(100 * p.carries.share, 3) : ''].map((x) => element('td', {}, x)))))));
  });

  if (content.study) add('study', 'Study', content.study.runs.length, (panel) => {
    const st = content.study;
    panel.append(element('h3', {}, `${st.runs.length} runs over ${st.varied.join(', ')}`));
    for (const f of st.figures) panel.append(line(st, f, figure));
    st.failures.forEach((f, i) => { if (f) panel.append(element('p', {class: 'bad'}, said(`${st.runs[i].join(', ')}: ${f}`))); });
  });

  if (content.sets.length) add('sets', 'Sets', content.sets.length, (panel) => listed(panel, [column('set', (k) => k.name), number('sheets', (k) => k.sheets.length), number('members', (k) => k.members.length), number('edges', (k) => k.edges), number('vertices', (k) => k.vertices)],
    content.sets, {name: 'sets', key: (k) => k.name, where: (k) => ({parts: [...k.sheets.map(parts.sheet), ...k.members.map(parts.member)]})}));
  return panelsByName;
}
