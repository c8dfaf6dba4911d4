'use strict';
const data = JSON.parse(document.getElementById('data').textContent);
const byId = id => document.getElementById(id);
const make = (tag, text, attributes) => {
  const e = document.createElement(tag);
  if (text !== undefined) e.textContent = text;
  for (const [k, v] of Object.entries(attributes || {})) e.setAttribute(k, v);
  return e;
};

// Tables: one at a time, a page of its rows, sorted by a column and filtered by words.
const perPage = 100;
let shown = {table: 0, sort: -1, down: false, from: 0, words: ''};
const numberOf = s => /^-?[0-9.]+$/.test(s) ? Number(s) : NaN;
const keyOf = s => { // ranges and addresses in their order
  const m = /^(\d+)\.(\d+)\.(\d+)\.(\d+)(?:\/(\d+))?$/.exec(s);
  return m ? ((+m[1] * 256 + +m[2]) * 256 + +m[3]) * 256 + +m[4] + (m[5] ? +m[5] / 64 : 1) : numberOf(s);
};
function rowsShown() {
  const t = data.tables[shown.table];
  const words = shown.words.toLowerCase().split(/\s+/).filter(Boolean);
  let rows = t.rows;
  if (words.length) rows = rows.filter(r => { const all = r.join(' ').toLowerCase(); return words.every(w => all.includes(w)); });
  if (shown.sort >= 0) {
    const i = shown.sort;
    rows = rows.slice().sort((a, b) => {
      const x = keyOf(a[i]), y = keyOf(b[i]);
      const d = !isNaN(x) && !isNaN(y) ? x - y : a[i] < b[i] ? -1 : a[i] > b[i] ? 1 : 0;
      return shown.down ? -d : d;
    });
  }
  return rows;
}
function showTable() {
  const t = data.tables[shown.table], rows = rowsShown(), table = byId('table');
  table.replaceChildren();
  const head = make('tr');
  t.header.forEach((h, i) => {
    const th = make('th'), b = make('button', h + (shown.sort === i ? (shown.down ? ' ↓' : ' ↑') : ''), {type: 'button'});
    th.setAttribute('aria-sort', shown.sort === i ? (shown.down ? 'descending' : 'ascending') : 'none');
    b.addEventListener('click', () => { shown.down = shown.sort === i && !shown.down; shown.sort = i; showTable(); byId('table').querySelectorAll('th button')[i].focus(); });
    th.append(b);
    head.append(th);
  });
  const thead = make('thead'), body = make('tbody');
  thead.append(head);
  for (const r of rows.slice(shown.from, shown.from + perPage)) {
    const tr = make('tr');
    for (const c of r) tr.append(make('td', c));
    body.append(tr);
  }
  table.append(thead, body);
  const end = Math.min(shown.from + perPage, rows.length);
  byId('count').textContent = (rows.length ? `${shown.from + 1} to ${end} of ${rows.length}` : 'no row has that') + (t.left ? `; ${t.left} more are not on this page` : '');
  byId('less').disabled = shown.from === 0;
  byId('more').disabled = end >= rows.length;
}
data.tables.forEach((t, i) => byId('which').append(make('option', t.name, {value: i})));
byId('which').addEventListener('change', e => { shown = {table: +e.target.value, sort: -1, down: false, from: 0, words: shown.words}; showTable(); });
byId('filter').addEventListener('input', e => { shown.words = e.target.value; shown.from = 0; showTable(); });
byId('less').addEventListener('click', () => { shown.from = Math.max(0, shown.from - perPage); showTable(); });
byId('more').addEventListener('click', () => { shown.from += perPage; showTable(); });
if (data.tables.length) showTable();

// The grid: what passes from each row to each column.
const cellAt = new Map();
data.cells.forEach((row, i) => {
  for (const [full, some, to] of row) for (const part of to.split(',')) {
    const [first, last] = part.split('-').map(Number);
    for (let j = first; j <= (last === undefined ? first : last); j++) cellAt.set(i * data.units.length + j, [i, j, full, some]);
  }
});
const wayAt = new Map(data.ways.map(w => [w.from * data.units.length + w.to, w]));
const flowsOf = c => [data.flows[c[2]], data.flows[c[3]]];
function words(c) {
  if (!c) return 'nothing passes';
  const [all, some] = flowsOf(c);
  return [all && all !== 'nothing' ? all : '', some && some !== 'nothing' && some !== all ? 'for some ' + some : ''].filter(Boolean).join('; ') || 'nothing passes';
}
function list(title, lines) {
  const box = make('div');
  if (!lines.length) return box;
  box.append(make('b', title));
  const ol = make('ol');
  for (const l of lines) ol.append(make('li', l));
  box.append(ol);
  return box;
}
function openCell(i, j) {
  const key = i * data.units.length + j, way = wayAt.get(key), box = byId('cell');
  box.replaceChildren(make('p', `${data.units[i].name} to ${data.units[j].name}: ${words(cellAt.get(key))}`));
  if (!way) return;
  box.append(make('p', `by the example of ${way.pair}`, {class: 'note'}), list('there', way.there), list('back', way.back), list('what stops the rest, and what would fix it', way.why));
}
function showGrid() {
  const n = Math.min(data.units.length, data.most), table = byId('matrix');
  const rest = data.units.length - n;
  byId('gridnote').textContent = `From each row to each column; rows are ${data.kind}. A cell opens to the way and its rules.` + (rest > 0 ? ` The first ${n} are shown, ${rest} more are answered above.` : '');
  const head = make('tr');
  head.append(make('td'));
  for (let j = 0; j < n; j++) head.append(make('th', j + 1, {scope: 'col', title: data.units[j].name}));
  const thead = make('thead'), body = make('tbody');
  thead.append(head);
  for (let i = 0; i < n; i++) {
    const tr = make('tr');
    tr.append(make('th', `${data.units[i].name}  ${i + 1}`, {scope: 'row'}));
    for (let j = 0; j < n; j++) {
      const c = cellAt.get(i * data.units.length + j), td = make('td');
      const whole = c && flowsOf(c)[0] === flowsOf(c)[1];
      const b = make('button', c ? (whole ? '●' : '–') : '', {type: 'button', class: c ? (whole ? 'open' : 'part') : '', 'aria-label': `${data.units[i].name} to ${data.units[j].name}: ${words(c)}`, tabindex: i || j ? -1 : 0});
      b.addEventListener('click', () => openCell(i, j));
      td.append(b);
      tr.append(td);
    }
    body.append(tr);
  }
  table.append(thead, body);
  body.addEventListener('keydown', e => {
    const step = {ArrowLeft: -1, ArrowRight: 1, ArrowUp: -n, ArrowDown: n}[e.key];
    if (!step) return;
    const all = [...body.querySelectorAll('button')], next = all[all.indexOf(document.activeElement) + step];
    if (next) { document.activeElement.tabIndex = -1; next.tabIndex = 0; next.focus(); }
    e.preventDefault();
  });
}
showGrid();

// The question: who reaches this?
const unitOf = new Map(data.units.map((u, i) => [u.name, i]));
for (const [name, unit] of data.names) if (!unitOf.has(name)) unitOf.set(name, unit);
for (const u of [...unitOf.keys()].slice(0, 2000)) byId('names').append(make('option', undefined, {value: u}));
function ask() {
  const box = byId('answer'), word = byId('ask').value.trim();
  box.replaceChildren();
  if (!word) return;
  let found = unitOf.has(word) ? [unitOf.get(word)] : data.units.map((u, i) => i).filter(i => data.units[i].name.startsWith(word + '/'));
  if (!found.length) { box.append(make('p', `nothing is named ${word}`)); return; }
  const inward = [], outward = [];
  for (const i of found) {
    const from = data.from.find(x => x[0] === i), to = data.to.find(x => x[0] === i);
    if (from) inward.push(`the internet: ${data.flows[from[1]]}`);
    if (to) outward.push(`the internet: ${data.flows[to[1]]}`);
  }
  for (const c of cellAt.values()) {
    if (found.includes(c[1])) inward.push(`${data.units[c[0]].name}: ${words(c)}`);
    if (found.includes(c[0])) outward.push(`${data.units[c[1]].name}: ${words(c)}`);
  }
  const unit = data.units[found[0]].name;
  if (found.length === 1 && unit !== word) box.append(make('p', `${word} is in ${unit}, for all of which this is said`, {class: 'note'}));
  box.append(list(`who reaches ${word}`, inward), list(`whom ${word} reaches`, outward));
  if (!inward.length && !outward.length) box.append(make('p', `nobody reaches ${word}, and it reaches nobody`));
}
byId('ask').addEventListener('input', ask);
