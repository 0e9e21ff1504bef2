// What is taken and left becomes lines of the plan, and the command that runs them.
const order = ['read', 'survey', 'mend', 'strip', 'halve', 'join', 'mesh', 'prove', 'solve'];
const stageOf = (key) => ({source: 'read', survey: 'survey', mend: 'mend', strip: 'strip', halve: 'halve', join: 'join', mesh: 'mesh', prove: 'prove'}[key.split('.')[0]] || 'solve');

// Texts as TOML and a shell take them.
const quoted = (text) => '"' + String(text).replace(/[\\"]/g, '\\$&').replace(/[\u0000-\u001f\u007f]/g, (c) => '\\u' + c.charCodeAt(0).toString(16).padStart(4, '0')) + '"';
const shell = (text) => (/^[\w@%+=:,./-]+$/.test(text) ? text : "'" + text.replace(/'/g, "'\\''") + "'");

export class Choices {
  constructor(content, changed) {
    this.content = content, this.changed = changed;
    this.made = new Map();  // id of a decision -> 'take' or 'leave'
    this.values = new Map();  // key of the plan -> text of its value
    this.decision = new Map(content.decisions.map((d) => [d.id, d]));
  }
  can(d, what) {
    if (what === 'leave') return Boolean(d.leave) && d.state !== 'refused';
    return d.state !== 'applied' && (Boolean(d.take) || (Boolean(d.leave) && this.held(d)));
  }
  // Does the plan itself leave it out?
  held(d) { return [d.leave, 'strip.keep'].some((k) => k && (this.content.plan.lists[k] || []).includes(d.id)); }
  set(ids, what) {
    for (const id of ids) {
      const d = this.decision.get(id);
      if (!d) continue;
      if (!what || this.made.get(id) === what) { if (!what) this.made.delete(id); }
      else if (this.can(d, what)) this.made.set(id, what);
    }
    this.changed();
  }
  value(key, text) {
    if (text) this.values.set(key, text);
    else this.values.delete(key);
    this.changed();
  }
  clear() { this.made.clear(), this.values.clear(), this.changed(); }
  get count() { return this.made.size + this.values.size; }

  // The lists of ids as they would be, where they differ from the plan's.
  lists() {
    const before = this.content.plan.lists, after = {};
    const of = (key) => (after[key] = after[key] || [...(before[key] || [])]);
    const drop = (key, id) => { if (key && (after[key] || before[key] || []).includes(id)) after[key] = of(key).filter((x) => x !== id); };
    for (const [id, what] of this.made) {
      const d = this.decision.get(id);
      if (what === 'leave') {
        drop(d.take, id);
        if (!of(d.leave).includes(id)) of(d.leave).push(id);
      } else {
        const held = this.held(d);
        drop(d.leave, id), drop('strip.keep', id);
        if (d.take && (!held || d.take === 'halve.fill' || d.take === 'strip.force') && !of(d.take).includes(id)) of(d.take).push(id);
      }
    }
    const out = {};
    for (const [key, list] of Object.entries(after)) if (JSON.stringify(list) !== JSON.stringify(before[key] || [])) out[key] = list;
    return out;
  }
  // KEY=VALUE, as the plan and --set take them.
  assignments() {
    const out = Object.entries(this.lists()).map(([key, list]) => [key, '[' + list.map(quoted).join(', ') + ']']);
    for (const [key, text] of this.values) out.push([key, quoted(text)]);
    return out;
  }
  from() {
    const stages = this.assignments().map(([key]) => order.indexOf(stageOf(key)));
    return order[Math.min(...stages, order.length - 1)];
  }
  text() {
    const tables = new Map();
    for (const [key, value] of this.assignments()) {
      const [table, name] = [key.slice(0, key.indexOf('.')), key.slice(key.indexOf('.') + 1)];
      if (!tables.has(table)) tables.set(table, []);
      tables.get(table).push(name + ' = ' + value);
    }
    return [...tables].map(([table, lines]) => '[' + table + ']\n' + lines.join('\n') + '\n').join('\n');
  }
  command() {
    const {plan, model, summary} = this.content, out = model.replace(/\/?[^/]*$/, '');
    const sets = [...plan.set.filter((s) => !this.assignments().some(([key]) => s.startsWith(key + '='))), ...this.assignments().map(([key, value]) => key + '=' + value)];
    return ['halvo run', shell(plan.file || summary.source.file), '--out', shell(out || '.'), '--from', this.from(), ...sets.map((s) => '--set ' + shell(s))].join(' ');
  }
}
