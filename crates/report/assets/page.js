// Search, sorting, copying and folding for who runs scripts; the page says everything without it.
(function () {
  'use strict';
  document.body.className = 'scripts';
  var all = function (query, inside) { return [].slice.call((inside || document).querySelectorAll(query)); };
  var field = document.getElementById('search'), said = document.getElementById('found');
  var folds = all('details'), open = folds.map(function (fold) { return fold.open; });
  var entries = all('tbody tr').filter(function (row) { return row.querySelector('td'); }).concat(all('.cards li'));
  var texts = new Map();
  var text = function (entry) {
    if (!texts.has(entry)) texts.set(entry, entry.textContent.toLowerCase());
    return texts.get(entry);
  };
  var chosen = new Map();

  // An entry is shown where the search and the filters of its table leave it.
  function show() {
    var asked = field ? field.value.toLowerCase().trim() : '', left = 0;
    entries.forEach(function (entry) {
      var table = entry.closest('[data-filters]'), of = table && chosen.get(table);
      var out = asked && text(entry).indexOf(asked) < 0;
      if (of) of.forEach(function (value, column) { out = out || entry.cells[column] && entry.cells[column].textContent !== value; });
      entry.classList.toggle('out', !!out);
      if (!out) left++;
    });
    if (said) said.textContent = asked ? left + (left === 1 ? ' entry matches' : ' entries match') : '';
    return asked;
  }

  function search() {
    var asked = show();
    folds.forEach(function (fold, at) {
      fold.open = asked ? !!fold.querySelector('tbody tr:not(.out) td') || text(fold).indexOf(asked) >= 0 && fold.className === 'fold' : open[at];
    });
  }

  // `+1.2 GB` is more than `3 MB`; what has no number is compared as text, numbers in it by their value.
  var UNITS = { B: 1, kB: 1e3, MB: 1e6, GB: 1e9, TB: 1e12 };
  function value(cell) {
    var content = cell ? cell.textContent.trim() : '';
    var found = /^([+\u2212-]?)([\d,.]+)\s*(B|kB|MB|GB|TB)?$/.exec(content);
    if (!found) return content;
    return parseFloat(found[2].replace(/,/g, '')) * (UNITS[found[3]] || 1) * (found[1] && found[1] !== '+' ? -1 : 1);
  }
  var collator = new Intl.Collator('en', { numeric: true });
  function order(a, b) {
    if (typeof a === 'number' && typeof b === 'number') return a - b;
    return collator.compare(String(a), String(b));
  }

  all('[data-filters]').forEach(function (wide) {
    var heads = all('thead th', wide), body = wide.querySelector('tbody');
    if (!body) return;
    var bar = document.createElement('div'), counted = document.createElement('span');
    bar.className = 'filters';
    chosen.set(wide, new Map());
    function count() {
      show();
      var rows = all('tr', body), left = rows.filter(function (row) { return !row.classList.contains('out'); }).length;
      counted.textContent = left === rows.length ? rows.length + ' rows' : left + ' of ' + rows.length + ' rows';
    }
    wide.getAttribute('data-filters').split(',').forEach(function (title) {
      var column = heads.findIndex(function (head) { return head.textContent === title; });
      if (column < 0) return;
      var values = {};
      all('tr', body).forEach(function (row) { values[row.cells[column].textContent] = true; });
      values = Object.keys(values).filter(Boolean).sort();
      if (values.length < 2) return;
      var label = document.createElement('label'), select = document.createElement('select');
      label.textContent = title + ' ';
      [''].concat(values).forEach(function (one) {
        var option = document.createElement('option');
        option.value = one;
        option.textContent = one || 'all';
        select.appendChild(option);
      });
      select.addEventListener('change', function () {
        if (select.value) chosen.get(wide).set(column, select.value); else chosen.get(wide).delete(column);
        count();
      });
      label.appendChild(select);
      bar.appendChild(label);
    });
    counted.className = 'dim';
    counted.setAttribute('aria-live', 'polite');
    bar.appendChild(counted);
    wide.parentNode.insertBefore(bar, wide);
    heads.forEach(function (head) {
      var column = head.cellIndex, button = document.createElement('button');
      button.type = 'button';
      button.textContent = head.textContent;
      head.textContent = '';
      head.appendChild(button);
      button.addEventListener('click', function () {
        var down = head.getAttribute('aria-sort') === 'ascending';
        heads.forEach(function (other) { other.removeAttribute('aria-sort'); });
        head.setAttribute('aria-sort', down ? 'descending' : 'ascending');
        var rows = all('tr', body).map(function (row) { return [value(row.cells[column]), row]; });
        rows.sort(function (a, b) { return down ? order(b[0], a[0]) : order(a[0], b[0]); });
        var sorted = document.createDocumentFragment();
        rows.forEach(function (row) { sorted.appendChild(row[1]); });
        body.appendChild(sorted);
      });
    });
    count();
  });

  // A section as Markdown: its lists and tables, as they are shown.
  function plain(node) { return node.textContent.replace(/\s+/g, ' ').trim().replace(/([\\`*_\[\]|<>#])/g, '\\$1'); }
  function markdown(section) {
    var lines = ['## ' + plain(section.querySelector('h2')), ''];
    function walk(node) {
      if (node.matches('.tools,h2,summary,.filters,figure')) return;
      if (node.matches('h3')) { lines.push('', '### ' + plain(node), ''); return; }
      if (node.matches('p')) { lines.push(plain(node), ''); return; }
      if (node.matches('.fold')) {
        lines.push('- ' + all('.sort,.name,.figure', node).map(plain).join(', '));
        all('p', node).forEach(function (line) { lines.push('  - ' + plain(line)); });
        return;
      }
      if (node.matches('li')) {
        if (node.classList.contains('out')) return;
        var parts = all('.what,.value,.more', node).map(plain).filter(Boolean);
        lines.push((node.parentNode.tagName === 'OL' ? '1. ' : '- ') + (parts.length ? parts.join(', ') : plain(node)));
        return;
      }
      if (node.matches('dl')) {
        all('dt', node).forEach(function (name) {
          var says = [];
          for (var next = name.nextElementSibling; next && next.tagName === 'DD'; next = next.nextElementSibling) says.push(plain(next));
          lines.push('- **' + plain(name) + ':** ' + says.join(', '));
        });
        lines.push('');
        return;
      }
      if (node.matches('table')) {
        var first = true;
        all('tr', node).forEach(function (row) {
          if (row.classList.contains('out')) return;
          if (row.cells.length === 1) { lines.push('', '### ' + plain(row), ''); first = true; return; }
          var cells = '| ' + [].map.call(row.cells, plain).join(' | ') + ' |';
          if (row.parentNode.tagName !== 'THEAD' && first && !node.tHead) lines.push(cells.replace(/[^|]+/g, ' '), cells.replace(/[^|]+/g, ' --- '));
          lines.push(cells);
          if (row.parentNode.tagName === 'THEAD') lines.push(cells.replace(/[^|]+/g, ' --- '));
          first = false;
        });
        lines.push('');
        return;
      }
      [].forEach.call(node.children, walk);
    }
    [].forEach.call(section.children, walk);
    return lines.join('\n').replace(/\n{3,}/g, '\n\n').trim() + '\n';
  }
  all('.copy').forEach(function (button) {
    button.hidden = !(navigator.clipboard && navigator.clipboard.writeText);
    button.addEventListener('click', function () {
      var made = markdown(button.closest('section,main>details'));
      var tell = function (word) {
        button.textContent = word;
        setTimeout(function () { button.textContent = 'Copy as Markdown'; }, 1500);
      };
      navigator.clipboard.writeText(made).then(function () { tell('Copied'); }, function () { tell('Not copied'); });
    });
  });

  function unfold() {
    var asked = location.hash && document.getElementById(decodeURIComponent(location.hash.slice(1)));
    for (var one = asked; one; one = one.parentElement) if (one.tagName === 'DETAILS') one.open = true;
    if (asked) asked.scrollIntoView();
  }
  if (field) field.addEventListener('input', search);
  window.addEventListener('hashchange', unfold);
  unfold();
  window.addEventListener('beforeprint', function () { open = folds.map(function (fold) { return fold.open; }); folds.forEach(function (fold) { fold.open = true; }); });
  window.addEventListener('afterprint', function () { folds.forEach(function (fold, at) { fold.open = open[at]; }); });
})();
