// Tables beside the scene: searched, sorted, walked by keys; long ones are laid out as they are scrolled.
import {figure} from 'halvo/content';

export function element(name, attributes = {}, ...children) {
  const e = document.createElement(name);
  for (const [k, v] of Object.entries(attributes)) {
    if (k.startsWith('on')) e.addEventListener(k.slice(2), v);
    else if (v === true) e.setAttribute(k, '');
    else if (v !== false && v !== undefined && v !== null) e.setAttribute(k, v);
  }
  for (const c of children.flat(Infinity)) if (c !== null && c !== undefined) e.append(c);
  return e;
}
// Text of a file, as text whatever it holds, in a direction of its own.
export const said = (text) => element('bdi', {}, String(text));

const step = 200;

export class Table {
  // columns: {title, of: row -> value, text: row -> text or node, number}; options: {name, chosen, row key, size: column that "at most" bounds, tools: rows -> nodes}
  constructor(parent, columns, rows, options) {
    Object.assign(this, {columns, rows, options, sorted: options.sorted ?? -1, down: Boolean(options.down), words: options.words || '', most: null});
    this.find = element('input', {type: 'search', placeholder: 'Search', 'aria-label': 'Search ' + options.name, value: this.words, oninput: () => { this.words = this.find.value; this.fill(); if (options.searched) options.searched(this.words); }});
    const bound = options.size === undefined ? null : element('label', {}, `${columns[options.size].title} at most `, this.bound = element('input', {type: 'number', min: 0, step: 'any', 'aria-label': columns[options.size].title + ' at most', oninput: () => { this.most = this.bound.value === '' ? null : Number(this.bound.value); this.fill(); }}));
    this.count = element('output', {});
    this.tools = element('span', {class: 'tools'});
    this.head = element('tr');
    this.body = element('tbody');
    this.frame = element('div', {class: 'rows', tabindex: -1, onscroll: () => this.more()}, element('table', {'aria-label': options.name}, element('thead', {}, this.head), this.body));
    parent.append(element('div', {class: 'bar-row'}, this.find, bound, this.count, this.tools), this.frame);
    this.fill();
  }
  shown() {
    const words = this.words.toLowerCase().split(/\s+/).filter(Boolean), {columns, options} = this;
    let list = this.rows.filter((r) => words.every((w) => this.textOf(r).includes(w)));
    if (this.most !== null) list = list.filter((r) => columns[options.size].of(r) <= this.most * (1 + 1e-9));
    if (this.sorted >= 0) {
      const of = columns[this.sorted].of, sign = this.down ? -1 : 1;
      list = list.map((r, i) => [of(r), i, r]).sort((a, b) => {
        const order = typeof a[0] === 'number' && typeof b[0] === 'number' ? a[0] - b[0] : String(a[0]).localeCompare(String(b[0]), undefined, {numeric: true});
        return sign * order || a[1] - b[1];
      }).map((x) => x[2]);
    }
    return list;
  }
  textOf(row) {
    if (!this.texts) this.texts = new Map();
    if (!this.texts.has(row)) this.texts.set(row, this.columns.map((c) => { const v = c.of(row); return typeof v === 'number' ? figure(v) : String(v ?? ''); }).join(' ').toLowerCase());
    return this.texts.get(row);
  }
  fill() {
    this.list = this.shown(), this.laid = 0;
    this.count.textContent = this.list.length === this.rows.length ? `${this.rows.length}` : `${this.list.length} of ${this.rows.length}`;
    this.head.replaceChildren(...this.columns.map((c, i) => element('th', {scope: 'col', 'aria-sort': i === this.sorted ? (this.down ? 'descending' : 'ascending') : 'none', class: c.number ? 'number' : ''},
      element('button', {onclick: () => { this.down = this.sorted === i ? !this.down : Boolean(c.number); this.sorted = i; this.fill(); }}, c.title, i === this.sorted ? (this.down ? ' \u25bc' : ' \u25b2') : ''))));
    this.body.replaceChildren();
    this.frame.scrollTop = 0;
    this.lay();
    if (this.options.tools) this.tools.replaceChildren(...this.options.tools(this.list));
  }
  more() { if (this.frame.scrollTop + this.frame.clientHeight > this.frame.scrollHeight - 300) this.lay(); }
  lay() {
    const end = Math.min(this.list.length, this.laid + step), part = document.createDocumentFragment();
    for (; this.laid < end; ++this.laid) part.append(this.row(this.list[this.laid]));
    this.body.append(part);
  }
  row(r) {
    const {options} = this, key = options.key(r);
    const tr = element('tr', {tabindex: 0, 'data-key': key, 'aria-selected': String(key === this.current), onclick: (e) => this.choose(r, e.ctrlKey || e.metaKey || e.shiftKey), onkeydown: (e) => {
      if (e.key === 'Enter' || e.key === ' ') this.choose(r, e.ctrlKey || e.shiftKey), e.preventDefault();
      const next = e.key === 'ArrowDown' ? tr.nextElementSibling : e.key === 'ArrowUp' ? tr.previousElementSibling : null;
      if (next) next.focus(), e.preventDefault();
    }});
    for (const c of this.columns) {
      const v = c.text ? c.text(r) : c.number ? figure(c.of(r)) : c.of(r);
      tr.append(element('td', {class: c.number ? 'number' : c.wide ? 'wide' : ''}, v instanceof Node ? v : said(v ?? '')));
    }
    return tr;
  }
  // With `more`, besides what is chosen already.
  choose(r, more = false) {
    const key = this.options.key(r);
    this.several = more ? new Set([...(this.several || [this.current]), key].filter((k) => k !== undefined)) : null;
    this.select(key);
    this.options.chosen(r, more);
  }
  // Marks a row, and lays out as many as it takes to show it.
  select(key) {
    if (this.several && !this.several.has(key)) this.several = null;
    this.current = key;
    const at = this.list.findIndex((r) => this.options.key(r) === key);
    while (at >= this.laid && this.laid < this.list.length) this.lay();
    for (const tr of this.body.children) {
      const on = tr.dataset.key === String(key) || Boolean(this.several && [...this.several].some((k) => String(k) === tr.dataset.key));
      tr.setAttribute('aria-selected', String(on));
      if (tr.dataset.key === String(key)) tr.scrollIntoView({block: 'nearest'});
    }
  }
}
