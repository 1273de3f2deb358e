'use strict';
// Shows the findings as lists that can be searched, filtered and sorted. Everything from pages is
// set as text, never as HTML. What is shown is kept in the fragment of the URL, so that a view can
// be sent.
(() => {
  const raw = JSON.parse(document.getElementById('data').textContent);
  const text = (number) => raw.texts[number];
  const link = (url, name) => (url === 1 ? name : url || '');
  const pages = raw.pages.map(([name, url, edit, file]) => ({ name, url: link(url, name), edit, file }));
  const targets = raw.targets.map(([name, url, texts, more, occurrences], index) => {
    const [verdict, cause, words, scope, host, standing] = texts.map(text);
    const [evidence, advice, links, onPages, leftOut] = more;
    return {
      index, name, url: link(url, name), verdict, cause, words, scope, host, standing,
      evidence: text(evidence), advice: text(advice), links, onPages, leftOut,
      places: occurrences.map(([[page, line, column], element, said, region, shared]) => ({
        page: pages[page], line, column, element: text(element), said: text(said),
        region: text(region), shared,
      })),
    };
  });
  for (const target of targets) {
    const parts = target.places.map((place) => place.page.name + ' ' + place.said);
    target.searched = [target.name, target.words, target.evidence, ...parts].join('\n').toLowerCase();
  }

  const STEP = 100; // Groups shown at a time.
  const PRINTED = 2000; // Groups on paper.
  const FOLDED = 5; // Occurrences that are shown unfolded.
  const SEVERITY = ['broken', 'doubtful', 'moved', 'sound', 'skipped'];
  const DEFAULTS = { view: 'target', q: '', verdict: '', cause: '', scope: '', element: '', host: '', sort: 'order' };
  const state = { ...DEFAULTS };
  let shown = STEP;

  const make = (name, properties = {}, ...children) => {
    const node = Object.assign(document.createElement(name), properties);
    node.append(...children.filter((child) => child !== ''));
    return node;
  };
  const anchor = (url, name) => (url
    ? make('a', { href: url, rel: 'noopener noreferrer', textContent: name })
    : make('span', { textContent: name }));
  const editor = (page) => make('span', { className: 'edit' }, anchor(page.edit, 'edit'));
  const plural = (number, one, many) => number.toLocaleString('en') + ' ' + (number === 1 ? one : many);
  const place = (at) => (at.line ? ' ' + at.line + ':' + at.column : '');
  const shared = (at) => (at.shared ? ', on ' + plural(at.shared, 'page', 'pages') + ', one edit' : '');
  const region = (at) => (at.region ? ' in ' + at.region : '');

  // Where a page is edited: a link, or the file and position.
  const edit = (at) => {
    if (at.page.edit) return [' ', editor(at.page)];
    return at.page.file ? [' ', make('code', { textContent: at.page.file + (at.line ? ':' + at.line + ':' + at.column : '') })] : [];
  };

  const asText = (target) => [
    target.verdict + ': ' + target.words, target.name, target.evidence,
    ...target.places.map((at) => '  ' + at.page.name + place(at) + ' ' + at.said + region(at) + shared(at)),
    target.leftOut ? '  and ' + target.leftOut.toLocaleString('en') + ' more' : '',
  ].filter(Boolean).join('\n') + '\n';

  const copy = async (written, button) => {
    try {
      await navigator.clipboard.writeText(written);
    } catch {
      const area = make('textarea', { value: written });
      document.body.append(area);
      area.select();
      document.execCommand('copy');
      area.remove();
      button.focus();
    }
    button.textContent = 'Copied';
    status.textContent = 'Copied';
    setTimeout(() => { button.textContent = 'Copy'; }, 1500);
  };
  const copier = (written, name) => {
    const button = make('button', { type: 'button', className: 'copy', textContent: 'Copy' });
    button.setAttribute('aria-label', 'Copy ' + name + ' as text');
    button.addEventListener('click', () => copy(written(), button));
    return button;
  };

  const verdict = (target) => make('span', { className: 'verdict ' + target.verdict, textContent: target.verdict });
  const standing = (target) => {
    const isNews = target.standing === 'new' || target.standing === 'returned';
    return target.standing
      ? make('span', { className: isNews ? 'tag news' : 'tag', textContent: target.standing }) : '';
  };

  const occurrence = (at) => make('li', { className: 'where' }, anchor(at.page.url, at.page.name),
    place(at) + ' ', make('span', { textContent: at.said + region(at) + shared(at) }), ...edit(at));

  // Advice is given once, where it is needed first.
  let advised = new Set();
  const details = (target) => {
    const more = make('div', { className: 'more' });
    if (target.evidence) more.append(make('p', { textContent: target.evidence }));
    if (target.advice && !advised.has(target.advice)) more.append(make('p', { textContent: target.advice }));
    advised.add(target.advice);
    return more;
  };
  const ofTarget = (target) => {
    const head = make('div', { className: 'head' }, verdict(target), make('span', { textContent: target.words }),
      standing(target), target.scope === 'external' ? make('span', { className: 'tag', textContent: 'external' }) : '',
      copier(() => asText(target), target.name));
    const more = details(target);
    const list = make('ul', { className: 'places' }, ...target.places.map(occurrence));
    if (target.leftOut) list.append(make('li', { textContent: 'and ' + target.leftOut.toLocaleString('en') + ' more' }));
    const isLong = target.places.length > FOLDED;
    const folded = isLong
      ? make('details', {}, make('summary', { textContent: plural(target.links, 'link', 'links') + ' on ' + plural(target.onPages, 'page', 'pages') }), list)
      : list;
    return make('li', { className: isLong ? 'long' : '' }, head,
      make('div', { className: 'name' }, anchor(target.url, target.name)), more, folded);
  };

  const ofPage = ({ page, found }) => {
    const rows = found.map(({ at, target }) => {
      const row = make('li', { className: 'where' }, (at.line ? at.line + ':' + at.column : 'response header') + ' ',
        make('span', { textContent: at.said + region(at) + shared(at) }), ' ', verdict(target), ' ',
        anchor(target.url, target.name), ' ', make('span', { textContent: target.words }), ' ', standing(target));
      if (page.file) row.append(...edit(at));
      row.append(details(target));
      return row;
    });
    const written = () => page.name + '\n' + found.map(({ at, target }) => '  ' + (at.line ? at.line + ':' + at.column + ' ' : '')
      + at.said + region(at) + shared(at) + '\n    ' + target.verdict + ': ' + target.words + '  ' + target.name).join('\n') + '\n';
    return make('li', { className: rows.length > 6 ? 'long' : '' },
      make('div', { className: 'head' }, make('span', { className: 'name' }, anchor(page.url, page.name)),
        page.edit ? editor(page) : '', copier(written, page.name)),
      make('ul', { className: 'page-list' }, ...rows));
  };

  const matches = (target) => {
    const words = state.q.toLowerCase().split(/\s+/).filter(Boolean);
    return (!state.verdict || target.verdict === state.verdict)
      && (!state.cause || target.cause === state.cause)
      && (!state.scope || target.scope === state.scope)
      && (!state.host || target.host === state.host)
      && (!state.element || target.places.some((at) => at.element === state.element))
      && words.every((word) => target.searched.includes(word));
  };

  const severity = (target) => SEVERITY.indexOf(target.verdict);
  const ORDERS = {
    order: ['new first, then worst', (one, other) => one.index - other.index],
    worst: ['worst first', (one, other) => severity(one) - severity(other) || one.index - other.index],
    target: ['target', (one, other) => one.name.localeCompare(other.name)],
    pages: ['most pages', (one, other) => other.onPages - one.onPages || one.index - other.index],
    cause: ['cause', (one, other) => one.words.localeCompare(other.words) || one.index - other.index],
    host: ['host', (one, other) => one.host.localeCompare(other.host) || one.index - other.index],
  };

  const byPage = (found) => {
    const groups = new Map();
    for (const target of found) {
      for (const at of target.places) {
        if (state.element && at.element !== state.element) continue;
        if (!groups.has(at.page)) groups.set(at.page, { page: at.page, found: [] });
        groups.get(at.page).found.push({ at, target });
      }
    }
    const all = [...groups.values()];
    for (const group of all) group.found.sort((one, other) => one.at.line - other.at.line || one.at.column - other.at.column);
    if (state.sort === 'target') all.sort((one, other) => one.page.name.localeCompare(other.page.name));
    if (state.sort === 'pages') all.sort((one, other) => other.found.length - one.found.length);
    return all;
  };

  const app = document.getElementById('app');
  const tools = make('form', { className: 'tools' });
  tools.setAttribute('role', 'search');
  tools.setAttribute('aria-label', 'Search and filter the findings');
  tools.addEventListener('submit', (event) => event.preventDefault());
  const controls = {};
  const change = (key, value) => {
    state[key] = value;
    shown = STEP;
    write();
    render();
  };
  const select = (key, name, options) => {
    const control = make('select', {}, ...options.map(([value, label]) => make('option', { value, textContent: label })));
    control.addEventListener('change', () => change(key, control.value));
    control.dataset.key = key;
    controls[key] = control;
    if (options.length > 2 || key === 'sort') tools.append(make('label', {}, name, control));
  };
  const values = (pick) => {
    const counts = new Map();
    for (const target of targets) {
      for (const value of new Set(pick(target))) if (value) counts.set(value, (counts.get(value) || 0) + 1);
    }
    return [...counts].sort((one, other) => other[1] - one[1] || one[0].localeCompare(other[0]));
  };
  const options = (pick, label = (value) => value) => [['', 'all'],
    ...values(pick).map(([value, count]) => [value, label(value) + ' (' + count.toLocaleString('en') + ')'])];

  const views = make('fieldset', {}, make('legend', { textContent: 'List by' }));
  for (const [value, name] of [['target', 'target'], ['page', 'page']]) {
    const radio = make('input', { type: 'radio', name: 'view', value });
    radio.addEventListener('change', () => change('view', value));
    controls['view-' + value] = radio;
    views.append(make('label', {}, radio, name));
  }
  const search = make('input', { type: 'search', autocomplete: 'off', spellcheck: false });
  search.addEventListener('input', () => change('q', search.value));
  controls.q = search;
  tools.append(views, make('label', { className: 'search' }, 'Search targets, pages and link texts', search));
  const causes = new Map(targets.map((target) => [target.cause, target.words]));
  select('verdict', 'Verdict', options((target) => [target.verdict]));
  select('cause', 'Cause', options((target) => [target.cause], (value) => value + ': ' + causes.get(value)));
  select('scope', 'Scope', options((target) => [target.scope]));
  select('element', 'Element', options((target) => target.places.map((at) => at.element)));
  select('host', 'Host', options((target) => [target.host]));
  select('sort', 'Sort by', Object.entries(ORDERS).map(([value, [label]]) => [value, label]));
  const reset = make('button', { type: 'button', textContent: 'Show all' });
  reset.addEventListener('click', () => {
    Object.assign(state, DEFAULTS, { view: state.view });
    shown = STEP;
    write();
    render();
  });
  tools.append(reset);
  const status = make('p', { className: 'status' });
  status.setAttribute('role', 'status');
  const list = make('div', {});
  const next = make('button', { type: 'button', className: 'next' });
  next.addEventListener('click', () => {
    const first = shown;
    shown += STEP;
    render();
    const focus = list.querySelectorAll('.list > li')[first];
    if (focus) { focus.tabIndex = -1; focus.focus(); }
  });
  app.append(tools, status, list, next);

  // The fragment holds what differs from the defaults.
  const write = () => {
    const some = Object.entries(state).filter(([key, value]) => value !== DEFAULTS[key]);
    const fragment = new URLSearchParams(some).toString();
    history.replaceState(null, '', fragment ? '#' + fragment : location.pathname + location.search);
  };
  const read = () => {
    const given = new URLSearchParams(location.hash.slice(1));
    if (!Object.keys(DEFAULTS).some((key) => given.has(key))) {
      if (location.hash) return;
      Object.assign(state, DEFAULTS);
    } else {
      for (const key of Object.keys(DEFAULTS)) state[key] = given.get(key) ?? DEFAULTS[key];
    }
    if (!ORDERS[state.sort]) state.sort = DEFAULTS.sort;
    if (state.view !== 'page') state.view = 'target';
    for (const key of ['verdict', 'cause', 'scope', 'element', 'host']) {
      if (![...controls[key].options].some((option) => option.value === state[key])) state[key] = '';
    }
  };

  const render = () => {
    for (const key of ['verdict', 'cause', 'scope', 'element', 'host', 'sort']) controls[key].value = state[key];
    if (search.value !== state.q) search.value = state.q;
    controls['view-' + state.view].checked = true;
    const found = targets.filter(matches).sort(ORDERS[state.sort][1]);
    const groups = state.view === 'page' ? byPage(found) : found;
    const some = groups.slice(0, shown);
    advised = new Set();
    const nodes = [];
    if (state.view === 'page') {
      nodes.push(make('ul', { className: 'list' }, ...some.map(ofPage)));
    } else {
      const isNews = (target) => target.standing === 'new' || target.standing === 'returned';
      const parts = state.sort === 'order' && targets.some(isNews)
        ? [['New since the run before', some.filter(isNews)], ['Known before', some.filter((target) => !isNews(target))]]
        : [['', some]];
      for (const [heading, part] of parts) {
        if (heading && part.length) nodes.push(make('h3', { className: 'group', textContent: heading }));
        if (part.length) nodes.push(make('ul', { className: 'list' }, ...part.map(ofTarget)));
      }
    }
    list.replaceChildren(...nodes);
    const all = state.view === 'page' ? plural(groups.length, 'page', 'pages') : plural(found.length, 'target', 'targets');
    status.textContent = groups.length === 0
      ? (targets.length === 0 ? 'Nothing matches the selection of this report.' : 'Nothing matches. “Show all” removes the filters.')
      : all + (found.length < targets.length ? ' of ' + plural(targets.length, 'target', 'targets') + ' match' : '')
        + (some.length < groups.length ? ', ' + some.length.toLocaleString('en') + ' shown' : '');
    next.hidden = some.length >= groups.length;
    next.textContent = 'Show ' + Math.min(STEP, groups.length - some.length) + ' more';
    reset.hidden = Object.keys(DEFAULTS).every((key) => key === 'view' || state[key] === DEFAULTS[key]);
  };

  // On paper, everything is unfolded, and there is nothing to press.
  let before = 0;
  let folded = [];
  addEventListener('beforeprint', () => {
    before = shown;
    shown = Math.max(shown, PRINTED);
    render();
    folded = [...document.querySelectorAll('details:not([open])')];
    for (const part of folded) part.open = true;
  });
  addEventListener('afterprint', () => {
    for (const part of folded) part.open = false;
    shown = before;
    render();
  });
  addEventListener('hashchange', () => { read(); shown = STEP; render(); });

  app.hidden = false;
  read();
  render();
})();
