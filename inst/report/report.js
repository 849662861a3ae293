// Tables can be sorted by their headings, results of several groups are shown as tabs, and everything
// is opened before the page is printed. Without this script all parts are shown one below the other.
(function () {
  "use strict";

  function valueOf(cell) {
    var text = cell ? cell.textContent.trim() : "";
    var number = parseFloat(text.replace(/^[<>=\[\s]+/, "").replace(/,(?=\d{3})/g, "").replace("\u2212", "-"));
    return text === "" ? null : isNaN(number) || /^[A-Za-z]/.test(text) ? text.toLowerCase() : number;
  }

  function compare(a, b) {
    if (a === null || b === null) return (a === null) - (b === null);
    if (typeof a === typeof b) return a < b ? -1 : a > b ? 1 : 0;
    return typeof a === "number" ? -1 : 1;
  }

  function sortBy(table, column, heading) {
    var body = table.tBodies[0];
    var down = heading.getAttribute("aria-sort") === "ascending";
    var rows = Array.prototype.slice.call(body.rows).map(function (row, place) {
      return { row: row, value: valueOf(row.cells[column]), place: place };
    });
    rows.sort(function (x, y) {
      var order = compare(x.value, y.value);
      if (down && x.value !== null && y.value !== null) order = -order;
      return order || x.place - y.place;
    });
    Array.prototype.forEach.call(table.tHead.rows[0].cells, function (cell) {
      cell.removeAttribute("aria-sort");
    });
    heading.setAttribute("aria-sort", down ? "descending" : "ascending");
    rows.forEach(function (entry) { body.appendChild(entry.row); });
  }

  function sortable(table) {
    if (!table.tHead || !table.tBodies.length || table.tBodies[0].rows.length < 3) return;
    Array.prototype.forEach.call(table.tHead.rows[0].cells, function (heading, column) {
      if (heading.textContent.trim() === "") return;
      var button = document.createElement("button");
      button.type = "button";
      button.title = "Sort by this column";
      button.textContent = heading.textContent;
      heading.textContent = "";
      heading.appendChild(button);
      button.addEventListener("click", function () { sortBy(table, column, heading); });
    });
  }

  // What scrolls sideways can be reached and scrolled with the keyboard.
  function scrollable(box) {
    if (box.scrollWidth <= box.clientWidth || box.hasAttribute("tabindex")) return;
    var caption = box.querySelector("caption");
    box.tabIndex = 0;
    box.setAttribute("role", "region");
    box.setAttribute("aria-label", caption ? caption.textContent : "Code");
  }

  function tabbed(box, number) {
    var tabs = Array.prototype.filter.call(box.children, function (child) {
      return child.className === "tab";
    });
    var row = document.createElement("div");
    row.className = "tab-row";
    row.setAttribute("role", "tablist");
    var buttons = tabs.map(function (tab, chosen) {
      var button = document.createElement("button");
      button.type = "button";
      button.id = "tab-" + number + "-" + chosen;
      tab.id = "panel-" + number + "-" + chosen;
      button.textContent = tab.getAttribute("data-title");
      button.setAttribute("role", "tab");
      button.setAttribute("aria-controls", tab.id);
      tab.setAttribute("role", "tabpanel");
      tab.setAttribute("aria-labelledby", button.id);
      button.addEventListener("click", function () { show(chosen); });
      button.addEventListener("keydown", function (event) {
        var step = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
        if (step === 0) return;
        event.preventDefault();
        var next = (chosen + step + tabs.length) % tabs.length;
        show(next);
        buttons[next].focus();
      });
      row.appendChild(button);
      return button;
    });
    function show(chosen) {
      tabs.forEach(function (tab, k) {
        tab.hidden = k !== chosen;
        buttons[k].setAttribute("aria-selected", k === chosen ? "true" : "false");
        buttons[k].tabIndex = k === chosen ? 0 : -1;
      });
    }
    box.insertBefore(row, box.firstChild);
    box.className += " ready";
    show(0);
    return { open: function () { tabs.forEach(function (tab) { tab.hidden = false; }); }, close: function () { show(0); } };
  }

  Array.prototype.forEach.call(document.querySelectorAll("table"), sortable);
  function look() {
    Array.prototype.forEach.call(document.querySelectorAll(".table, pre"), scrollable);
  }
  document.addEventListener("toggle", look, true);
  document.addEventListener("click", look);
  window.addEventListener("resize", look);
  var boxes = Array.prototype.map.call(document.querySelectorAll(".tabs"), tabbed);
  look();
  var closed = [];
  window.addEventListener("beforeprint", function () {
    closed = Array.prototype.filter.call(document.querySelectorAll("details"), function (part) { return !part.open; });
    closed.forEach(function (part) { part.open = true; });
    boxes.forEach(function (box) { box.open(); });
  });
  window.addEventListener("afterprint", function () {
    closed.forEach(function (part) { part.open = false; });
    boxes.forEach(function (box) { box.close(); });
  });
})();
