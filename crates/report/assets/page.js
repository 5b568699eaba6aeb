// Search and folding for who runs scripts; the page says everything without it.
(function () {
  document.body.className = 'scripts';
  var field = document.getElementById('search'), said = document.getElementById('found');
  var folds = [].slice.call(document.querySelectorAll('details'));
  var open = folds.map(function (fold) { return fold.open; });
  var rows = [].slice.call(document.querySelectorAll('tbody tr'))
    .filter(function (row) { return row.querySelector('td'); })
    .map(function (row) { return [row, row.textContent.toLowerCase()]; });

  function search() {
    var asked = field.value.toLowerCase().trim(), left = 0;
    rows.forEach(function (row) {
      var out = asked && row[1].indexOf(asked) < 0;
      row[0].className = out ? 'out' : '';
      if (!out) left++;
    });
    folds.forEach(function (fold, at) {
      fold.open = asked ? !!fold.querySelector('tbody tr:not(.out) td') : open[at];
    });
    said.textContent = asked ? left + (left === 1 ? ' row matches' : ' rows match') : '';
  }

  function unfold() {
    var asked = location.hash && document.getElementById(location.hash.slice(1));
    if (asked && asked.tagName === 'DETAILS') asked.open = true;
  }

  field.addEventListener('input', search);
  window.addEventListener('hashchange', unfold);
  unfold();
  window.addEventListener('beforeprint', function () { folds.forEach(function (fold) { fold.open = true; }); });
  window.addEventListener('afterprint', function () { folds.forEach(function (fold, at) { fold.open = open[at]; }); });
})();
