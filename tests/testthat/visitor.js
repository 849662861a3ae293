(function () {
  "use strict";
  var found = { wrong: window.wrong };
  var tables = Array.prototype.filter.call(document.querySelectorAll("table"), function (table) {
    return table.querySelector("th button");
  });
  found.tables = tables.length;
  var table = tables.filter(function (one) { return one.tHead.textContent.indexOf("estimate") >= 0; })[0];
  var headings = table.tHead.rows[0].cells;
  var column = Array.prototype.map.call(headings, function (cell) { return cell.textContent; }).indexOf("estimate");
  function values() {
    return Array.prototype.map.call(table.tBodies[0].rows, function (row) { return parseFloat(row.cells[column].textContent); });
  }
  function ordered(down) {
    var list = values();
    return list.every(function (x, k) { return k === 0 || (down ? list[k - 1] >= x : list[k - 1] <= x); });
  }
  headings[column].querySelector("button").click();
  found.sorted_up = ordered(false);
  headings[column].querySelector("button").click();
  found.sorted_down = ordered(true);
  var box = document.querySelector(".tabs");
  var buttons = Array.prototype.slice.call(box.querySelectorAll(".tab-row button"));
  var tabs = Array.prototype.filter.call(box.children, function (child) { return child.className === "tab"; });
  found.tabs = buttons.map(function (button) { return button.textContent; });
  function shown() { return tabs.map(function (tab) { return tab.offsetHeight > 0; }); }
  found.shown_first = shown();
  buttons[1].click();
  found.shown_second = shown();
  var fold = document.querySelector("details");
  found.fold_before = fold.open;
  fold.querySelector("summary").click();
  found.fold_after = fold.open;
  window.dispatchEvent(new Event("beforeprint"));
  found.opened_for_print = Array.prototype.every.call(document.querySelectorAll("details"), function (part) { return part.open; }) &&
    shown().every(function (seen) { return seen; });
  window.dispatchEvent(new Event("afterprint"));
  found.wrong = window.wrong;
  var out = document.createElement("pre");
  out.id = "visit";
  out.textContent = JSON.stringify(found);
  document.body.appendChild(out);
})();
