// Visits of the live page in Chromium. Called with the folder of puppeteer-core, the Rscript to run,
// a script that serves the page, and the name of a visit; prints what it found as JSON.
import { spawn } from "node:child_process";
import { createRequire } from "node:module";
import { readdirSync, readFileSync, existsSync } from "node:fs";

const [folder, rscript, script, visit, downloads, axe] = process.argv.slice(2);
const require = createRequire(folder + "/");
const puppeteer = (await import(require.resolve("puppeteer-core"))).default;
const chromium = ["/usr/bin/chromium", "/usr/bin/chromium-browser", "/usr/bin/google-chrome"].find(existsSync);

let printed = "";
const server = spawn(rscript, [script]);
server.stdout.on("data", (text) => { printed += text; });
server.stderr.on("data", (text) => { printed += text; });
const ended = new Promise((resolve) => server.on("exit", resolve));
async function until(test, what, most = 30000) {
  const begun = Date.now();
  for (;;) {
    const found = await test();
    if (found) return found;
    if (Date.now() - begun > most) throw new Error("waited in vain for " + what + "\n" + printed);
    await new Promise((resolve) => setTimeout(resolve, 25));
  }
}
const address = (await until(() => printed.match(/http:\S+[?]key=\w+/), "the address"))[0];
const plain = address.replace(/[?].*/, "");
const browser = await puppeteer.launch({ executablePath: chromium, args: ["--no-sandbox", "--disable-gpu"] });
const trouble = [];
const outside = [];

async function open(url = address) {
  const page = await browser.newPage();
  await page.setViewport({ width: 1280, height: 800 });
  page.on("pageerror", (error) => trouble.push(error.message));
  page.on("request", (request) => {
    if (!request.url().startsWith(plain) && !/^(data|blob):/.test(request.url())) outside.push(request.url());
  });
  page.on("dialog", (dialog) => { dialog.accept(); });
  await page.goto(url);
  await idle(page);
  return page;
}
async function idle(page) {
  await page.waitForFunction(() => {
    const told = document.body.dataset;
    return told.answered !== undefined && Number(told.answered) >= Number(told.sent || 0);
  }, { timeout: 30000, polling: 30 });
}
async function press(page, selector) {
  const begun = Date.now();
  await page.$eval(selector, (element) => {
    element.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true }));
  });
  await idle(page);
  return Date.now() - begun;
}
// By keyboard alone: focus, then Enter.
async function key(page, selector) {
  await page.$eval(selector, (element) => element.focus());
  await page.keyboard.press("Enter");
  await idle(page);
}
const stage = (page, name) => press(page, `[data-stage=${name}]`);
const text = (page, selector) => page.$eval(selector, (element) => element.textContent);
const facts = (page) => text(page, ".facts");
async function fill(page, selector, value) {
  await page.$eval(selector, (element, value) => { element.value = value; }, value);
}
async function pick(page, items) {
  for (const item of items) await page.$eval(`[data-item="${item}"]`, (element) => element.click());
}

const visits = {
  async build() {
    const page = await open();
    const empty = await facts(page);
    await pick(page, ["be1", "be2", "be3", "be4"]);
    await fill(page, "[data-key=new-name]", "Belonging");
    await key(page, "[data-key=add-construct]");
    await pick(page, ["sc1", "sc2", "sc3"]);
    await fill(page, "[data-key=new-name]", "Calm");
    await press(page, "[data-key=add-construct]");
    await pick(page, ["sc4"]);
    await press(page, "[data-key='place-Calm']");
    await page.select("select[name=first]", "Belonging");
    await page.select("select[name=second]", "Calm");
    const structure = await press(page, "[data-key=add-effect]");
    const built = await facts(page);
    await key(page, 'svg [data-address="effect[Belonging, Calm]"]');
    const card = await text(page, ".card");
    const focus = await page.evaluate(() => document.activeElement.getAttribute("data-address"));
    await key(page, "[data-key=back]");
    const undone = (await key(page, "[data-key=back]"), await facts(page));
    return { empty, built, card, focus, undone, structure };
  },
  async amend() {
    const page = await open();
    await stage(page, "amend");
    const drops = await until(() => page.$$eval("table.amendments tbody tr", (rows) => {
      const last = rows.map((row) => row.cells[5].textContent).filter((x) => x !== "");
      return last.length >= 5 ? last : null;
    }), "the refitted drops");
    const first = await page.$eval("table.amendments button", (button) => button.dataset.address);
    await press(page, "table.amendments button");
    const refused = await text(page, "[role=alert]");
    await fill(page, "[data-key=because]", "a <b>reason</b> & more");
    const took = await press(page, "table.amendments button");
    const after = await facts(page);
    const versions = await page.$$eval("ol.versions li", (list) => list.length);
    const bold = await page.$$eval("#panel b", (list) => list.length);
    await page.reload();
    await idle(page);
    const kept = await facts(page);
    await stage(page, "report");
    const client = await page.createCDPSession();
    await client.send("Browser.setDownloadBehavior", { behavior: "allow", downloadPath: downloads });
    await page.$eval("[data-download=script]", (link) => link.click());
    await until(() => readdirSync(downloads).includes("analysis.R"), "the download");
    return { drops: drops.length, first, refused, after, versions, bold, kept, took,
             script: readFileSync(downloads + "/analysis.R", "utf8") };
  },
  async ladder() {
    const page = await open();
    await stage(page, "groups");
    await page.select("select[name=by]", "setting");
    await press(page, "[data-key=climb]");
    await until(() => page.$("[data-key=loosen]"), "the ladder");
    const before = await text(page, "#panel ul");
    await page.select("select[name=rung]", "metric");
    await press(page, "[data-key=loosen]");
    await until(async () => (await text(page, "#panel ul")) !== before, "what was released");
    const after = await text(page, "#panel ul");
    const stages = {};
    for (const name of ["model", "fit", "amend", "measures", "groups", "report"]) {
      await stage(page, name);
      stages[name] = (await text(page, "#panel")).length;
    }
    return { before, after, stages };
  },
  async wrong() {
    const page = await open();
    const before = await facts(page);
    const file = await page.$("[data-upload=use_data]");
    await file.uploadFile(downloads + "/wrong.csv");
    await until(async () => (await page.$("[role=alert]")), "the message");
    const message = await text(page, "[role=alert]");
    await press(page, "[data-key=back]");
    const after = await facts(page);
    const broken = await page.$("[data-upload=open]");
    await broken.uploadFile(downloads + "/broken.yaml");
    await until(async () => (await page.$("[role=alert]")), "the second message");
    return { before, message, after, second: await text(page, "[role=alert]") };
  },
  async fails() {
    const page = await open();
    const before = await facts(page);
    await page.select("select[name=first]", "Belonging");
    await page.select("select[name=second]", "Staying");
    await press(page, "[data-key=add-covariance]");
    const message = await text(page, "[role=alert]");
    const drawn = await page.$$eval("svg .edge", (list) => list.length);
    const failed = await facts(page);
    await stage(page, "fit");
    const panel = await text(page, "#panel");
    await press(page, "[data-key=back]");
    const after = await facts(page);
    // a value that cannot be read changes nothing
    await press(page, 'svg [data-address="effect[Belonging, Staying]"]');
    await fill(page, "[data-key=hold-value]", "<b>much</b>");
    await press(page, "[data-key=hold]");
    const refused = await text(page, "[role=alert]");
    return { before, message, drawn, failed, panel, after, refused, still: await facts(page) };
  },
  async claims() {
    const page = await open();
    const before = await page.$$eval(".claims li", (list) => list.length);
    await press(page, 'svg [data-address="effect[Belonging, Staying]"]');
    const begun = await page.$eval("input[name=statement]", (field) => field.value);
    await press(page, "[data-key=add-claim]");
    const listed = await page.$$eval(".claims li", (list) => list.map((one) => one.textContent));
    await stage(page, "fit");
    const judged = await text(page, "#panel");
    await stage(page, "model");
    await press(page, ".claims li:last-child button");
    const left = await page.$$eval(".claims li", (list) => list.length);
    return { before, begun, listed, judged, left };
  },
  async windows() {
    const one = await open();
    const two = await open();
    await stage(one, "amend");
    await fill(one, "[data-key=because]", "only here");
    await press(one, "table.amendments button");
    await press(two, "[data-stage=report]");
    // a long job of one window does not hold up the other
    await stage(one, "report");
    await fill(one, "[data-key=reps]", "100000");
    await press(one, "[data-key=bootstrap]");
    await until(() => one.$eval("#job", (job) => !job.hidden), "the progress");
    await press(two, "[data-stage=fit]");
    const running = await one.$eval("#job", (job) => !job.hidden);
    await press(two, "[data-stage=report]");
    await press(one, "[data-key=bootstrap]");
    await until(() => one.$("[role=alert]"), "the message");
    const busy = await text(one, "[role=alert]");
    await press(one, "[data-key=cancel]");
    await until(() => one.$eval("#job", (job) => job.hidden), "the end of the cancelled job");
    const result = /replicates/.test(await text(one, "#panel"));
    return { running, busy, result, one: await facts(one), two: await facts(two),
             other: (await text(two, "#panel")).includes("only here") };
  },
  async slow() {
    const one = await open();
    const two = await open();
    await stage(one, "amend");
    await fill(one, "[data-key=because]", "only here");
    const before = await one.evaluate(() => document.body.dataset.version);
    await one.$eval("table.amendments button", (button) => button.click());
    await until(() => one.$eval("#job", (job) => !job.hidden), "the job of a slow fit");
    await press(two, "[data-stage=fit]");
    const running = await one.$eval("#job", (job) => !job.hidden);
    // what is asked meanwhile is refused, and the fit still arrives
    await one.$eval("[data-stage=measures]", (button) => button.click());
    await until(() => one.$("[role=alert]"), "the message");
    const busy = await text(one, "[role=alert]");
    await until(() => one.evaluate((before) => document.body.dataset.version !== before, before), "the fit", 120000);
    return { running, busy, trail: (await text(one, "#panel")).includes("only here"),
             other: (await text(two, "body")).includes("only here") };
  },
  async access() {
    const page = await browser.newPage();
    const first = (await page.goto(plain)).status();
    const seen = await page.content();
    const wrong = (await page.goto(plain + "?key=" + "a".repeat(64))).status();
    // a websocket without the cookie is closed, and tells nothing
    const told = await page.evaluate((where) => new Promise((resolve) => {
      const socket = new WebSocket(where.replace("http", "ws") + "websocket/");
      let heard = "";
      socket.onopen = () => socket.send(JSON.stringify({ method: "init", data: { hello: "0123456789abcdef" } }));
      socket.onmessage = (message) => { heard += message.data; };
      socket.onclose = () => resolve(heard);
      setTimeout(() => resolve(heard), 3000);
    }), plain);
    const right = await open();
    const cookies = await right.cookies();
    return { first, leaks: seen.includes("Belonging"), wrong, told: told.includes("Belonging"),
             url: right.url(), cookie: cookies[0], readable: await right.evaluate(() => document.cookie) };
  },
  async axe() {
    const page = await open();
    await page.addScriptTag({ content: readFileSync(axe, "utf8") });
    const found = {};
    for (const scheme of ["light", "dark"]) {
      await page.emulateMediaFeatures([{ name: "prefers-color-scheme", value: scheme }]);
      for (const name of ["model", "fit", "amend", "measures", "groups", "report"]) {
        await stage(page, name);
        if (name === "groups") {
          await page.select("select[name=by]", "setting");
          await press(page, "[data-key=climb]");
          await until(() => page.$("[data-key=loosen]"), "the ladder");
        }
        if (name === "model") await press(page, 'svg [data-address^="loading"]');
        // the progress of a job is part of the page as well
        if (name === "report") await page.$eval("#job", (job) => { job.hidden = false; });
        const run = await page.evaluate(() => axe.run(document, { resultTypes: ["violations"] }));
        found[scheme + " " + name] = run.violations.map((one) => one.id + ": " +
          one.nodes.slice(0, 2).map((node) => node.target.join(" ")).join(", "));
      }
    }
    return { found };
  },
  async jobs() {
    const page = await open();
    await stage(page, "report");
    await press(page, "[data-key=bootstrap]");
    await until(() => page.$eval("#job", (job) => !job.hidden), "the progress");
    await press(page, "[data-stage=fit]");
    const during = await text(page, "#panel");
    await stage(page, "report");
    await until(() => page.$eval("#job", (job) => job.hidden), "the end");
    await until(async () => /replicates/.test(await text(page, "#panel")), "the result");
    const table = await text(page, "#panel");
    await press(page, "[data-key=bootstrap]");
    await press(page, "[data-key=cancel]");
    await until(() => page.$eval("#job", (job) => job.hidden), "the end of the cancelled job");
    const after = await text(page, "#panel");
    const client = await page.createCDPSession();
    await client.send("Browser.setDownloadBehavior", { behavior: "allow", downloadPath: downloads });
    await page.$eval("[data-download=html]", (link) => link.click());
    await until(() => readdirSync(downloads).includes("report.html"), "the report");
    return { during, kept: after === table, bootstrapped: /bootstrap/i.test(table),
             report: readFileSync(downloads + "/report.html", "utf8").length };
  },
  async speed() {
    const page = await open();
    const first = (await page.$$eval("svg .loading", (list) => list.map((one) => one.dataset.address)))[1];
    const times = { choose: [], value: [], structure: [] };
    for (let k = 0; k < 5; k += 1) {
      times.choose.push(await press(page, `svg [data-address="${first}"]`));
      await fill(page, "[data-key=hold-value]", "0.9");
      times.value.push(await press(page, "[data-key=hold]"));
      await press(page, "[data-key=back]");
      const items = await page.$$eval("[data-item]", (list) => list.map((one) => one.dataset.item));
      await page.select("select[name=first]", items[0]);
      await page.select("select[name=second]", items[2 + k]);
      times.structure.push(await press(page, "[data-key=add-covariance]"));
      await press(page, "[data-key=back]");
    }
    return { times };
  },
  async finish() {
    const page = await open();
    await stage(page, "report");
    await page.$eval("[data-do=finish]", (button) => button.click());
    await ended;
    return { printed };
  }
};

let found;
try {
  found = await visits[visit]();
} catch (error) {
  found = { error: String(error.stack || error) };
}
await browser.close();
server.kill("SIGINT");
await Promise.race([ended, new Promise((resolve) => setTimeout(resolve, 5000))]);
console.log("\n" + JSON.stringify({ ...found, trouble, outside }));
process.exit(0);
