// What is done on the page goes to R as one message; what R shows comes back as text for three
// places. The keyboard's place and the chosen items are kept across both.
(function () {
  "use strict";
  var words = JSON.parse(document.getElementById("words").textContent);
  var live = document.getElementById("live");
  var picked = [];
  var unsaved = false;
  var count = 0;

  function windowName() {
    var name = sessionStorage.getItem("orizzonte");
    if (!name) {
      var bytes = crypto.getRandomValues(new Uint8Array(16));
      name = Array.prototype.map.call(bytes, function (b) { return ("0" + b.toString(16)).slice(-2); }).join("");
      sessionStorage.setItem("orizzonte", name);
    }
    return name;
  }

  function send(action) {
    count += 1;
    live.textContent = words.working;
    document.body.dataset.sent = count;
    document.body.setAttribute("aria-busy", "true");
    Shiny.setInputValue("act", Object.assign({ count: count }, action), { priority: "event" });
  }

  function keyOf(element) {
    if (!element) return null;
    return element.getAttribute("data-key") ||
      (element.getAttribute("data-address") && "address-" + element.getAttribute("data-address"));
  }

  function findKey(key) {
    return Array.prototype.find.call(document.querySelectorAll("[data-key], [data-address]"), function (element) {
      return keyOf(element) === key;
    });
  }

  function put(place, text) {
    var element = document.getElementById(place);
    var top = element.scrollTop;
    element.innerHTML = text;
    element.scrollTop = top;
    // what scrolls sideways must be reached by the keyboard
    element.querySelectorAll(".table").forEach(function (table) {
      if (table.scrollWidth > table.clientWidth) table.tabIndex = 0;
    });
  }

  function markPicked() {
    document.querySelectorAll("[data-item]").forEach(function (button) {
      button.setAttribute("aria-pressed", picked.indexOf(button.getAttribute("data-item")) >= 0);
    });
    document.querySelectorAll(".needs-items").forEach(function (button) {
      button.disabled = picked.length === 0;
    });
  }

  function valuesOf(button) {
    var values = {};
    var form = button.closest("[data-form]");
    if (form) form.querySelectorAll("input[name], select[name]").forEach(function (field) {
      values[field.name] = field.value;
    });
    Object.keys(button.dataset).forEach(function (name) {
      if (name !== "key" && name !== "do") values[name] = button.dataset[name];
    });
    return values;
  }

  function act(button) {
    var what = button.getAttribute("data-do");
    if (what === "pick") {
      var item = button.getAttribute("data-item");
      var at = picked.indexOf(item);
      if (at >= 0) picked.splice(at, 1); else picked.push(item);
      markPicked();
      return;
    }
    var action = valuesOf(button);
    action.do = what;
    if (button.classList.contains("needs-items")) {
      action.items = picked.slice();
      picked = [];
    }
    if (["stage", "choose", "group", "go", "back", "finish", "cancel"].indexOf(what) < 0) unsaved = true;
    if (what === "finish") unsaved = false;
    send(action);
  }

  document.addEventListener("click", function (event) {
    var button = event.target.closest("[data-do]");
    if (button && !button.disabled) { act(button); return; }
    var link = event.target.closest("[data-download]");
    if (link) {
      event.preventDefault();
      send({ do: "download", name: link.getAttribute("data-download") });
    }
  });

  document.addEventListener("keydown", function (event) {
    var part = event.target.closest && event.target.closest("svg [data-do]");
    if (part && (event.key === "Enter" || event.key === " ")) {
      event.preventDefault();
      act(part);
    }
    // Enter in a field presses the first button of its form
    if (event.key === "Enter" && event.target.tagName === "INPUT") {
      var form = event.target.closest("[data-form]");
      var buttons = form && form.querySelectorAll("[data-do]");
      if (buttons && buttons.length === 1 && !buttons[0].disabled) act(buttons[0]);
    }
  });

  document.addEventListener("change", function (event) {
    var field = event.target.closest("[data-upload]");
    if (!field || !field.files.length) return;
    var reader = new FileReader();
    var name = field.files[0].name;
    reader.onload = function () {
      send({ do: field.getAttribute("data-upload"), name: name, content: String(reader.result).replace(/^[^,]*,/, "") });
    };
    reader.readAsDataURL(field.files[0]);
  });

  window.addEventListener("beforeunload", function (event) {
    if (unsaved) { event.preventDefault(); event.returnValue = ""; }
  });

  function start() {
    Shiny.addCustomMessageHandler("show", function (places) {
      var key = keyOf(document.activeElement);
      var fields = {};
      document.querySelectorAll("#panel input[type=text][data-key]").forEach(function (field) {
        if (places.stage === document.body.dataset.stage && String(places.version) === document.body.dataset.version) fields[field.getAttribute("data-key")] = field.value;
      });
      var moved = places.stage !== document.body.dataset.stage;
      document.body.dataset.stage = places.stage;
      document.body.dataset.version = places.version;
      document.title = places.title || document.title;
      ["head", "drawing", "panel"].forEach(function (place) {
        if (typeof places[place] === "string") put(place, places[place]);
      });
      if (moved) document.getElementById("panel").scrollTop = 0;
      markPicked();
      Object.keys(fields).forEach(function (name) {
        var field = findKey(name);
        if (field) field.value = fields[name];
      });
      var back = key && findKey(key);
      if (back) back.focus({ preventScroll: true });
      if (places.answered >= count) document.body.removeAttribute("aria-busy");
      live.textContent = places.summary;
      document.body.dataset.answered = places.answered;
    });
    Shiny.addCustomMessageHandler("answer", function (told) {
      document.body.dataset.answered = told.answered;
      if (told.answered >= count) document.body.removeAttribute("aria-busy");
    });
    Shiny.addCustomMessageHandler("job", function (told) {
      var place = document.getElementById("job");
      place.hidden = Boolean(told.ended);
      var bar = place.querySelector("progress");
      if (typeof told.share === "number") bar.value = told.share; else bar.removeAttribute("value");
    });
    Shiny.addCustomMessageHandler("file", function (file) {
      document.body.removeAttribute("aria-busy");
      if (!file.name) return;
      var bytes = Uint8Array.from(atob(file.content), function (c) { return c.charCodeAt(0); });
      var link = document.createElement("a");
      link.href = URL.createObjectURL(new Blob([bytes]));
      link.download = file.name;
      link.click();
      URL.revokeObjectURL(link.href);
      unsaved = false;
      live.textContent = file.name;
    });
    Shiny.setInputValue("hello", windowName(), { priority: "event" });
  }

  $(document).on("shiny:connected", start);
  $(document).on("shiny:disconnected", function () {
    live.textContent = words.lost;
    live.className = "lost";
  });
})();
