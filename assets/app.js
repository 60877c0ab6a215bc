// Components for Alpine's CSP build. Pages work without them; they add live checking and the keypad.
const light = localStorage.getItem("murvet-light");
if (light) document.documentElement.dataset.light = light;
// Where this device is, for times outside a visit and for the next one.
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
if (zone && !document.cookie.includes("murvet-zone=" + encodeURIComponent(zone))) document.cookie = "murvet-zone=" + encodeURIComponent(zone) + "; path=/; max-age=31536000; samesite=lax";

// The messages of this script, from the catalogue of the pages.
const words = JSON.parse(document.getElementById("words").textContent);
const said = (key) => words[key] || key;

// Readings that wait here until the server has them: kept in the browser's own database, in the order in which they were
// recorded, each under a name that the server enters once.
const waiting = {
  base: null,
  open() {
    this.base ??= new Promise((done, failed) => {
      const asked = indexedDB.open("murvet", 1);
      asked.onupgradeneeded = () => asked.result.createObjectStore("waiting", { keyPath: "n", autoIncrement: true });
      asked.onsuccess = () => done(asked.result);
      asked.onerror = () => failed(asked.error);
    });
    return this.base;
  },
  async within(mode, work) {
    const base = await this.open();
    return new Promise((done, failed) => {
      const change = base.transaction("waiting", mode);
      const asked = work(change.objectStore("waiting"));
      change.oncomplete = () => done(asked.result);
      change.onerror = () => failed(change.error);
    });
  },
  add(visit, test, value, tools) {
    const one = { visit, test, value, with: tools || [], client: crypto.randomUUID(), at: new Date().toISOString(), thing: "test:" + test };
    return this.within("readwrite", (kept) => kept.add(one));
  },
  all() {
    return this.within("readonly", (kept) => kept.getAll());
  },
  // A form that the worker kept while there was no connection, as it was sent then: its name makes the server enter it once.
  async sendForm(one) {
    try {
      const answer = await fetch(one.form, { method: "POST", headers: { "Content-Type": "application/x-www-form-urlencoded" }, body: one.body });
      // Who is signed out signs in first.
      if (answer.status >= 500 || answer.status === 429 || new URL(answer.url).pathname === "/sign-in") return false;
      const page = new DOMParser().parseFromString(await answer.text(), "text/html");
      if (!answer.ok) {
        const told = page.querySelector("main [role=alert], main .notice.bad, main p") || page.querySelector("main");
        await this.within("readwrite", (kept) => kept.put({ ...one, refused: (told?.textContent || "").trim().slice(0, 300) || String(answer.status) }));
        return true;
      }
      await this.within("readwrite", (kept) => kept.delete(one.n));
      // Work that was kept after it was thought out on the revision that this one has just replaced.
      const base = new URLSearchParams(one.body).get("base");
      const now = JSON.parse(page.getElementById("ahead")?.textContent || "{}").revision;
      if (base && now && String(now) !== base) await this.rebase(one.visit, base, String(now));
      return true;
    } catch (e) {
      return false;
    }
  },
  async rebase(visit, from, to) {
    for (const one of (await this.all()).filter((r) => r.form && r.visit === visit)) {
      const body = new URLSearchParams(one.body);
      if (body.get("base") !== from) continue;
      body.set("base", to);
      await this.within("readwrite", (kept) => kept.put({ ...one, body: body.toString() }));
    }
  },
  // Sends what waits, in order; gives false when the server does not answer.
  async send() {
    return navigator.locks.request("murvet-waiting", async () => {
      for (;;) {
        const list = (await this.all()).filter((r) => !r.refused);
        if (!list.length) break;
        const { visit } = list[0];
        if (list[0].form) {
          if (!(await this.sendForm(list[0]))) return false;
          continue;
        }
        // Readings of a visit go together, up to the next thing of it that is none: the order is the order of the work.
        const same = list.filter((r) => r.visit === visit);
        const end = same.findIndex((r) => r.form);
        const own = (end < 0 ? same : same.slice(0, end)).slice(0, 100);
        try {
          const answer = await fetch("/visits/" + visit + "/readings/deliver", {
            method: "POST",
            headers: { "Content-Type": "application/json" },
            body: JSON.stringify(own.map((r) => ({ client: r.client, test: r.test, value: r.value, with: r.with || [], at: r.at }))),
          });
          if (!answer.ok) return false;
          for (const { client, refused } of await answer.json()) {
            const one = own.find((r) => r.client === client);
            // What is refused stays, with the reason, until somebody lets it go.
            if (refused) await this.within("readwrite", (kept) => kept.put({ ...one, refused }));
            else await this.within("readwrite", (kept) => kept.delete(one.n));
          }
        } catch (e) {
          return false;
        }
      }
      dispatchEvent(new Event("murvet-waiting"));
      return true;
    });
  },
};
// What is typed into a form is kept in this browser until the server has taken the form: a reload, a lost connection or an
// empty battery loses nothing. Trace keeps its own draft.
const typed = {
  sent: "murvet-typed-sent",
  fields: () => [...document.querySelectorAll("main form[method=post] :is(input:is([type=text], [type=date], :not([type])), textarea)")].filter((f) => f.name && !f.closest("[x-data=trace], [action='/sign-in']")),
  key(field) {
    const test = new URLSearchParams(location.search).get("test") || "";
    return ["murvet-typed", location.pathname, test, field.form.getAttribute("action"), [...field.form.elements].indexOf(field)].join(" ");
  },
  keep: (event) => typed.fields().includes(event.target) && localStorage.setItem(typed.key(event.target), event.target.value),
  forget: (form) => typed.fields().filter((f) => f.form === form).forEach((f) => localStorage.removeItem(typed.key(f))),
  forgetAll: () => Object.keys(localStorage).filter((k) => k.startsWith("murvet-typed")).forEach((k) => localStorage.removeItem(k)),
  start() {
    // What was sent is let go only when the answer is no refusal.
    const sent = JSON.parse(sessionStorage.getItem(this.sent) || "[]");
    if (!document.querySelector("main [role=alert]:not([x-cloak]):not([hidden]), [data-refused]")) sent.forEach((k) => localStorage.removeItem(k));
    sessionStorage.removeItem(this.sent);
    for (const field of this.fields()) {
      const kept = localStorage.getItem(this.key(field));
      if (kept !== null && field.value === field.defaultValue) field.value = kept;
    }
    addEventListener("input", this.keep);
    addEventListener("submit", ({ target, defaultPrevented }) => {
      if (!defaultPrevented) sessionStorage.setItem(this.sent, JSON.stringify(this.fields().filter((f) => f.form === target).map((f) => this.key(f))));
    });
  },
};
typed.start();
if ("serviceWorker" in navigator) {
  navigator.serviceWorker.register("/worker.js");
  // Whoever signs out leaves no pages behind.
  if (location.pathname === "/sign-in") ["murvet-visits", "murvet-shared"].forEach((name) => caches.delete(name));
}
if (location.pathname === "/sign-in") {
  typed.forgetAll();
}

// In the hand a page that is longer than four screens is folded by its headings: what stands first and what is marked stays open.
// Nothing is taken out of the page: on paper, on a wide screen and without script all of it is there.
const folds = (() => {
  const HEADS = "h2, h3";
  const LIMIT = 4;
  let number = 0;
  const shut = (head, members) => {
    if (!members.length) return;
    for (const m of members) {
      m.id ||= "folded-" + ++number;
      m.classList.add("folded-away");
    }
    const button = document.createElement("button");
    button.type = "button";
    button.className = "unfolds";
    button.append(...head.childNodes);
    button.setAttribute("aria-expanded", "false");
    button.setAttribute("aria-controls", members.map((m) => m.id).join(" "));
    button.addEventListener("click", () => open(head, button.getAttribute("aria-expanded") === "false"));
    head.append(button);
    head.folded = { button, members };
  };
  const open = (head, on) => {
    const { button, members } = head.folded;
    button.setAttribute("aria-expanded", String(on));
    for (const m of members) m.classList.toggle("folded-away", !on);
  };
  const cut = (rest) => {
    const line = document.createElement(rest[0].tagName === "LI" ? "li" : "p");
    line.className = "no-print folded-line";
    const button = document.createElement("button");
    button.type = "button";
    button.className = "btn-line";
    button.textContent = said("script.the-other").replace("{0}", rest.length);
    button.addEventListener("click", () => {
      rest.forEach((e) => e.classList.remove("folded-away"));
      line.remove();
    });
    line.append(button);
    rest[0].before(line);
    rest.forEach((e) => e.classList.add("folded-away"));
    line.show = () => button.click();
    rest.forEach((e) => (e.cut = line));
  };
  // The headings of a box with what belongs to each: what follows up to the next of the same or a higher rank.
  const within = (box, found) => {
    let head = null;
    let members = [];
    const end = () => head && found.push([head, members]);
    for (const child of box.children) {
      const apart = !child.matches("article, details, table, .no-fold") && child.querySelector(HEADS);
      if (child.matches(HEADS) || apart) {
        end();
        head = apart ? null : child;
        members = [];
        if (apart) within(child, found);
      } else if (head) members.push(child);
    }
    end();
    return found;
  };
  const find = () => {
    const target = location.hash && document.getElementById(decodeURIComponent(location.hash.slice(1)));
    const cutAway = target && [...document.querySelectorAll(".folded-away")].find((e) => e.cut && e.contains(target));
    if (cutAway) cutAway.cut.show();
    if (cutAway) target.scrollIntoView();
    for (const head of target ? document.querySelectorAll(HEADS) : []) {
      if (head.folded && (head === target || head.folded.members.some((m) => m.contains(target)))) {
        open(head, true);
        target.scrollIntoView();
      }
    }
  };
  const long = () => document.body.scrollHeight > LIMIT * innerHeight;
  return () => {
    if (!matchMedia("(max-width: 600px)").matches || !long()) return;
    const main = document.getElementById("main");
    const all = within(main, []).filter(([head]) => !head.matches("[data-stays]"));
    for (const [head, members] of all.slice(1)) shut(head, members);
    if (all.length && long()) shut(...all[0]);
    // What is still long is a list: its first lines, and the rest behind one button.
    for (const [what, most] of [["article.finding", 6], ["ol.asked > li", 12], [".grid-line", 14]]) {
      const rest = [...main.querySelectorAll(what)].slice(most);
      if (rest.length && long()) cut(rest);
    }
    find();
    addEventListener("hashchange", find);
  };
})();
document.addEventListener("DOMContentLoaded", folds);

// ? tells what the screen is for, wherever one is not typing.
addEventListener("keydown", (event) => {
  const help = document.getElementById("help");
  if (event.key !== "?" || event.target.closest("input, textarea, select, dialog") || !help.querySelector("li")) return;
  event.preventDefault();
  help.togglePopover();
});

// A tap on a component of a map opens its sheet over the map; its page is one tap further, and what a tap leads to without script.
document.addEventListener("click", async (event) => {
  const link = event.target.closest?.(".map a[data-component]:not([data-move])");
  if (!link || !/\/component\//.test(link.getAttribute("href")) || event.ctrlKey || event.metaKey || event.shiftKey) return;
  event.preventDefault();
  try {
    const answer = await fetch(link.getAttribute("href"));
    if (!answer.ok) throw new Error(answer.status);
    const page = new DOMParser().parseFromString(await answer.text(), "text/html").getElementById("main");
    const sheet = document.createElement("dialog");
    sheet.className = "component-sheet";
    sheet.setAttribute("aria-label", link.dataset.component);
    const bar = document.createElement("p");
    bar.className = "d-flex gap-2 mb-1";
    const whole = Object.assign(document.createElement("a"), { className: "btn-line", href: link.getAttribute("href"), textContent: said("script.its-page") });
    const shut = Object.assign(document.createElement("button"), { type: "button", className: "btn-line", textContent: said("script.close") });
    shut.addEventListener("click", () => sheet.close());
    bar.append(shut, whole);
    // Its heading stands below that of the page it lies on.
    for (const h of page.querySelectorAll("h1")) {
      const lower = document.createElement("h2");
      lower.append(...h.childNodes);
      h.replaceWith(lower);
    }
    sheet.append(bar, ...page.childNodes);
    sheet.addEventListener("click", (e) => e.target === sheet && sheet.close());
    sheet.addEventListener("close", () => {
      sheet.remove();
      link.focus({ preventScroll: true });
    });
    document.body.append(sheet);
    sheet.showModal();
  } catch (e) {
    location.assign(link.getAttribute("href"));
  }
});

// What a piece of the map is shown for is in sight on it, however far it reaches.
document.addEventListener("DOMContentLoaded", () => {
  for (const near of document.querySelectorAll(".map.near")) {
    const marked = near.querySelector(".marked");
    if (!marked) continue;
    const [box, at] = [near.getBoundingClientRect(), marked.getBoundingClientRect()];
    near.scrollLeft += at.x + at.width / 2 - box.x - box.width / 2;
    near.scrollTop += at.y + at.height / 2 - box.y - box.height / 2;
  }
});

// The walk without a connection. The page says what comes; the device fetches it while nobody waits. What is sent without a
// connection the worker keeps, and the next thing that is not answered yet comes by itself.
const ahead = (() => {
  const told = JSON.parse(document.getElementById("ahead")?.textContent || "null");
  if (!told) return null;
  const visit = location.pathname.split("/")[2];
  const kept = () => caches.open("murvet-visits");
  const answered = async () => new Set((await waiting.all()).filter((r) => r.visit === visit && !r.refused).map((r) => r.thing));
  const here = { visit, told };
  // On to what comes next and is kept here; says so when there is nothing more.
  here.onward = async () => {
    const done = await answered();
    const at = told.order.findIndex((t) => t.key === told.here);
    const coming = [...told.order.slice(at + 1), ...told.order.slice(0, Math.max(at, 0))].filter((t) => !done.has(t.key));
    const cache = await kept();
    for (const thing of coming) if (await cache.match(thing.at)) return location.assign(thing.at);
    document.getElementById("no-further").hidden = false;
  };
  here.fetchAhead = async () => {
    if (!navigator.serviceWorker?.controller) return;
    const cache = await kept();
    // Pages of a rig that has changed since are of no use.
    const mark = "murvet-ahead-" + visit;
    if (localStorage.getItem(mark) !== String(told.revision)) {
      for (const old of await cache.keys()) if (old.url.includes("/visits/" + visit + "/walk?")) await cache.delete(old);
      localStorage.setItem(mark, told.revision);
    }
    for (const [n, thing] of told.order.entries()) {
      if (n > 1 && (await cache.match(thing.at))) continue;
      // Without an answer there is no use in asking for more.
      if (!(await fetch(thing.at).catch(() => null))?.ok) return;
    }
  };
  document.addEventListener("DOMContentLoaded", async () => {
    for (const form of document.querySelectorAll("main form[method=post]")) {
      const field = (name, value) => form.append(Object.assign(document.createElement("input"), { type: "hidden", name, value }));
      field("kept-thing", told.here);
      field("kept-words", (document.querySelector(".one-thing h2")?.textContent || "").trim());
    }
    if ((await answered()).has(told.here)) here.onward();
    else setTimeout(here.fetchAhead, 1500);
  });
  return here;
})();

// The words of the notation coloured by what they are, behind the field they are typed in, and those at fault underlined. The
// kinds of components come with the page; a name is what stands behind one, or what follows a dot of one.
const coloured = (text, kinds, faults) => {
  const names = new Set(["run", "cable"]);
  const lines = text.split("\n").map((line) => [...line.matchAll(/#.*|"[^"]*"?|[@+]?[^\s,:"#]+|\?/g)].map((m) => ({ word: m[0], at: m.index })));
  for (const words of lines) words.forEach((w, n) => kinds.has(w.word) && words[n + 1] && names.add(words[n + 1].word));
  const kind = (word, n, before) => {
    if (word.startsWith("#")) return "aside";
    if (word.startsWith('"')) return "label";
    if (word === "?" || word.startsWith("@")) return "source";
    if (n === 0 || (kinds.has(word) && before !== "in")) return "kind";
    if (/^[x+-]?\d/.test(word)) return "value";
    return names.has(word.split(".")[0]) ? "name" : "";
  };
  const out = document.createDocumentFragment();
  const put = (words, of, wrong) => {
    if (!of && !wrong) return out.append(words);
    const span = document.createElement("span");
    span.className = (of ? "of-" + of : "") + (wrong ? " wrong" : "");
    span.textContent = words;
    out.append(span);
  };
  text.split("\n").forEach((line, row) => {
    const wrong = faults.filter((f) => f.row === row);
    let done = 0;
    lines[row].forEach(({ word, at }, n) => {
      if (at > done) out.append(line.slice(done, at));
      // What is said of a value, where it is from, stands at its end.
      const [, own, from] = /^([^@#"]+)(@.*)$/.exec(word) || [null, word, ""];
      const bad = wrong.some((f) => f.from < at + word.length && f.to > at);
      put(own, kind(own, n, lines[row][n - 1]?.word), bad);
      if (from) put(from, "source", bad);
      done = at + word.length;
    });
    out.append(line.slice(done));
    // A fault where there is no word: something is missing.
    if (wrong.some((f) => f.from >= line.trimEnd().length)) put(" ", "", true);
    out.append("\n");
  });
  return out;
};

document.addEventListener("alpine:init", () => {
  const csrf = { "Content-Type": "application/json" };

  // Trace: checks the text as it is typed, keeps what is typed in the browser until it is saved,
  // and completes the quick-entry line.
  Alpine.data("trace", () => ({
    entry: "",
    choices: [],
    stands: "",
    mirror: "",
    shown: false,
    past: [],
    coming: [],
    message: "",
    draftNote: "",
    timer: 0,
    // The words of the line being written, and which of them is being changed.
    parts: [],
    part: null,
    // The line of the text that is being written anew.
    line: null,
    all: false,
    init() {
      // In a handler $el is the element of the event, so the addresses are kept from here.
      const { visit, check, suggest, open, posted, edit } = this.$el.dataset;
      this.openAt = open;
      this.checkAt = check;
      this.suggestAt = suggest;
      this.key = "murvet-trace-" + visit;
      const area = this.$refs.text;
      const kept = JSON.parse(localStorage.getItem(this.key) || "null");
      if (kept && kept.text !== area.value && !posted) {
        this.saved = area.value;
        area.value = kept.text;
        // The draft was made from this revision, so that is what it is saved on top of.
        if (kept.base) this.$refs.base.value = kept.base;
        this.entry = kept.entry || "";
        this.draftNote = said("script.draft-back");
      } else if (kept && kept.entry) {
        this.entry = kept.entry;
      }
      this.kinds = new Set((this.$refs.behind.dataset.kinds || "").split(" "));
      area.parentElement.classList.add("coloured");
      area.addEventListener("scroll", () => this.follow(), { passive: true });
      this.past = [area.value];
      this.colour();
      this.check();
      if (edit) this.editPiece(edit);
      else this.told();
    },
    faults: [],
    // Faults are those of the last answer; where the text has moved on since, the next answer puts them right.
    colour() {
      this.$refs.behind.replaceChildren(coloured(this.$refs.text.value, this.kinds, this.faults));
      this.follow();
    },
    follow() {
      this.$refs.behind.scrollTop = this.$refs.text.scrollTop;
      this.$refs.behind.scrollLeft = this.$refs.text.scrollLeft;
    },
    // The line that enters a piece, taken up to be changed.
    editPiece(id) {
      const lines = this.$refs.text.value.split("\n");
      const plain = id.replace(/[^\w-]/g, "");
      const own = new RegExp("^[\\w-]+ " + plain + "(?![\\w.-])");
      const inRun = new RegExp("[\\w-] " + plain + "(?![\\w.-])");
      let at = lines.findIndex((l) => own.test(l));
      if (at < 0) at = lines.findIndex((l) => inRun.test(l));
      if (at >= 0) this.editLine(at);
      else this.told();
    },
    editLine(at) {
      const lines = this.$refs.text.value.split("\n");
      this.line = at;
      this.write(lines[at]);
    },
    // The line of the text in which the caret stands.
    editHere() {
      const area = this.$refs.text;
      const at = area.value.slice(0, area.selectionStart).split("\n").length - 1;
      if (area.value.split("\n")[at].trim()) this.editLine(at);
    },
    leaveLine() {
      this.line = null;
      this.write("");
    },
    // Takes the line apart and asks what may come next.
    told() {
      this.part = null;
      this.all = false;
      this.parts = [...this.entry.matchAll(/"[^"]*"?|[^\s,:]+/g)].map((m, n) => ({ n, word: m[0], from: m.index, to: m.index + m[0].length }));
      this.suggest();
    },
    // One part of the line is chosen: it is marked, and what is offered takes its place.
    choosePart() {
      this.part = this.parts[Number(this.$el.dataset.n)];
      this.all = false;
      this.$refs.entry.focus();
      this.$refs.entry.setSelectionRange(this.part.from, this.part.to);
      this.suggest();
    },
    isPart() {
      return Boolean(this.part) && String(this.part.n) === this.$el.dataset.n;
    },
    shownChoices() {
      return this.all ? this.choices : this.choices.slice(0, 12);
    },
    more() {
      this.all = true;
    },
    unseen() {
      this.word("?");
    },
    // Every text that was there, for undo and redo.
    step() {
      const text = this.$refs.text.value;
      if (this.past[this.past.length - 1] !== text) {
        this.past.push(text);
        this.coming = [];
      }
    },
    undo() {
      this.step();
      if (this.past.length < 2) return;
      this.coming.push(this.past.pop());
      this.put(this.past[this.past.length - 1]);
    },
    redo() {
      const text = this.coming.pop();
      if (text === undefined) return;
      this.past.push(text);
      this.put(text);
    },
    put(text) {
      this.$refs.text.value = text;
      this.colour();
      this.keep();
      this.check();
      this.told();
    },
    // A file takes the place of the text, as one step that can be undone.
    async openFile(event) {
      const file = event.target.files[0];
      if (!file) return;
      this.step();
      try {
        const text = await file.text();
        const answer = await fetch(this.openAt, { method: "POST", headers: csrf, body: JSON.stringify({ text }) });
        const told = answer.ok ? await answer.json() : { message: said("script.file-refused") };
        if (told.message) this.message = told.message;
        else {
          this.put(told.text);
          this.step();
        }
      } catch (e) {
        this.message = said("script.file-unread");
      }
    },
    help() {
      this.shown = !this.shown;
    },
    write(line) {
      this.entry = line;
      this.$refs.entry.value = line;
      this.$refs.entry.focus();
      this.keep();
      this.told();
    },
    repeat() {
      const lines = this.$refs.text.value.split("\n").filter((l) => l.trim() && !l.trim().startsWith("#"));
      if (lines.length) this.write(lines[lines.length - 1]);
    },
    mirrorLast() {
      if (this.mirror) this.write(this.mirror);
    },
    keys(event) {
      const of = { r: "repeat", m: "mirrorLast", z: "undo", y: "redo", u: "unseen", e: "editHere" };
      let done = true;
      if (event.key === "Enter") this.add();
      else if (event.key === "?" && !this.entry) this.help();
      else if (event.key === "Tab" && !event.shiftKey && this.entry && this.choices.length) this.word(this.choices[0].word);
      else if (event.altKey && of[event.key]) this[of[event.key]]();
      else if (event.altKey && event.key === "s") this.$refs.save.click();
      else if (event.altKey && this.choices[event.key - 1]) this.word(this.choices[event.key - 1].word);
      else done = false;
      if (done) event.preventDefault();
    },
    keep() {
      localStorage.setItem(this.key, JSON.stringify({ text: this.$refs.text.value, entry: this.entry, base: this.$refs.base.value }));
    },
    typed() {
      this.colour();
      this.keep();
      clearTimeout(this.timer);
      this.timer = setTimeout(() => {
        this.step();
        this.check();
      }, 250);
    },
    typedEntry() {
      this.entry = this.$refs.entry.value;
      this.keep();
      clearTimeout(this.asking);
      this.asking = setTimeout(() => this.told(), 90);
    },
    // An answer that is overtaken by a later question says nothing any more.
    asked: 0,
    checked: 0,
    async check() {
      const turn = ++this.checked;
      try {
        const answer = await fetch(this.checkAt, {
          method: "POST",
          headers: csrf,
          body: JSON.stringify({ text: this.$refs.text.value }),
        });
        if (!answer.ok) throw new Error(answer.status);
        const result = await answer.json();
        if (turn !== this.checked) return;
        this.$refs.result.innerHTML = result.html;
        const faults = [...this.$refs.result.querySelectorAll("pre.at")].map((e) => e.dataset);
        this.faults = faults.map((d) => ({ row: Number(d.row), from: Number(d.from), to: Number(d.to) }));
        this.colour();
        this.message = "";
      } catch (e) {
        this.message = said("script.no-answer");
      }
    },
    async suggest() {
      const turn = ++this.asked;
      try {
        const answer = await fetch(this.suggestAt, {
          method: "POST",
          headers: csrf,
          body: JSON.stringify({ text: this.$refs.text.value, line: this.part ? this.entry.slice(0, this.part.from) : this.entry }),
        });
        if (answer.ok) {
          const told = await answer.json();
          if (turn !== this.asked) return;
          this.choices = told.choices;
          this.stands = told.stands || "";
          this.mirror = told.mirror || "";
        }
      } catch (e) {
        this.choices = [];
      }
    },
    take() {
      this.word(this.$el.dataset.word);
    },
    word(word) {
      if (this.part) {
        this.write(this.entry.slice(0, this.part.from) + word + this.entry.slice(this.part.to));
        return;
      }
      const at = this.entry.search(/[^\s,:]*$/);
      // A word that ends in a dot is the start of a terminal: its rest is offered next.
      this.write(this.entry.slice(0, at) + word + (word.endsWith(".") ? "" : " "));
    },
    add() {
      const line = this.entry.trim();
      if (!line) return;
      const area = this.$refs.text;
      this.step();
      if (this.line === null) {
        area.value = area.value.replace(/\n*$/, "\n") + line + "\n";
        area.scrollTop = area.scrollHeight;
      } else {
        const lines = area.value.split("\n");
        lines[this.line] = line;
        area.value = lines.join("\n");
        this.line = null;
      }
      this.entry = "";
      this.$refs.entry.value = "";
      this.colour();
      this.step();
      this.keep();
      this.check();
      this.told();
      this.$refs.entry.focus();
    },
    discard() {
      if (this.saved !== undefined) this.$refs.text.value = this.saved;
      localStorage.removeItem(this.key);
      this.colour();
      this.draftNote = "";
      this.check();
    },
  }));

  // Where one was in a visit, kept in this browser, so that the list of visits leads back there.
  Alpine.data("whereabouts", () => ({
    init() {
      localStorage.setItem("murvet-at-" + this.$el.dataset.visit, location.pathname + location.search);
    },
  }));
  Alpine.data("leadsBack", () => ({
    init() {
      const at = localStorage.getItem("murvet-at-" + this.$el.dataset.visit);
      if (at && at.startsWith("/visits/" + this.$el.dataset.visit + "/")) this.$el.href = at;
    },
  }));

  // A filter acts at once; without script it has a button.
  Alpine.data("atOnce", () => ({
    send() {
      this.$root.requestSubmit();
    },
  }));

  // Controls are moved where they are drawn: the state comes as a part of the page, and stands in the address.
  Alpine.data("moving", () => ({
    turn: 0,
    tap(event) {
      const control = event.target.closest("a[data-move]");
      if (!control) return;
      event.preventDefault();
      this.load(control.getAttribute("href"), control.dataset.component);
    },
    changed() {
      // What is on together is asked for with its own key.
      const asked = new URLSearchParams(new FormData(this.$refs.form));
      asked.delete("on");
      this.load("?" + asked);
    },
    again() {
      this.load(location.search, "", true);
    },
    async load(search, component, back) {
      const turn = ++this.turn;
      try {
        const answer = await fetch(location.pathname + (search || "?") + "&part=1");
        if (!answer.ok) throw new Error(answer.status);
        const part = await answer.text();
        if (turn !== this.turn) return;
        const map = this.$refs.part.querySelector(".map");
        const seen = map && [map.scrollLeft, map.scrollTop];
        this.$refs.part.innerHTML = part;
        if (!back) history.pushState({}, "", search || location.pathname);
        const asked = new URLSearchParams(search);
        for (const field of this.$refs.form.querySelectorAll("select")) field.value = asked.get(field.name) || (field.name === "show" ? "all" : "0");
        this.$nextTick(() => {
          const fresh = this.$refs.part.querySelector(".map");
          if (fresh && seen) fresh.scrollTo(...seen);
          // Whoever goes by keys stays on the control.
          if (component) this.$refs.part.querySelector('a[data-component="' + CSS.escape(component) + '"]')?.focus({ preventScroll: true });
        });
      } catch (e) {
        location.assign(search || location.pathname);
      }
    },
  }));

  // A map at a size that can be read, or the whole of it; its words go where there is no room for them.
  Alpine.data("zoom", () => ({
    scale: 1,
    init() {
      this.map = this.$el;
      this.svg = this.$el.querySelector("svg");
      if (!this.svg) return;
      this.natural = Number(this.svg.getAttribute("width"));
      // Where there is room for more it takes it.
      this.scale = Number(sessionStorage.getItem("murvet-zoom")) || Math.max(1, this.map.clientWidth / this.natural);
      const bar = document.createElement("p");
      bar.className = "zoom no-print";
      for (const [words, by] of [["script.whole", 0], ["script.closer", 1.5], ["script.wider", 1 / 1.5]]) {
        const key = document.createElement("button");
        key.type = "button";
        key.className = "btn-line";
        key.textContent = said(words);
        key.addEventListener("click", () => this.by(by));
        bar.append(key);
      }
      this.layers(bar);
      this.map.before(bar);
      this.show();
    },
    // Each kind of conductor is a layer that can be taken off, while there is another.
    layers(bar) {
      const all = [["dc", "script.layer-dc"], ["ac", "script.layer-ac"], ["earth", "script.layer-earth"]];
      const there = all.filter(([layer]) => this.svg.querySelector(".conductor." + layer));
      if (there.length < 2) return;
      for (const [layer, words] of there) {
        const key = document.createElement("button");
        key.type = "button";
        key.className = "btn-line";
        key.textContent = said(words);
        const off = "murvet-without-" + layer;
        const show = () => {
          const on = !sessionStorage.getItem(off);
          key.setAttribute("aria-pressed", String(on));
          this.svg.classList.toggle("without-" + layer, !on);
        };
        key.addEventListener("click", () => {
          if (sessionStorage.getItem(off)) sessionStorage.removeItem(off);
          else sessionStorage.setItem(off, "1");
          show();
        });
        show();
        bar.append(key);
      }
    },
    by(factor) {
      const whole = Math.min(1, this.map.clientWidth / this.natural);
      this.scale = factor ? Math.min(3, Math.max(whole, this.scale * factor)) : whole;
      sessionStorage.setItem("murvet-zoom", this.scale);
      this.show();
    },
    show() {
      const middle = (this.map.scrollLeft + this.map.clientWidth / 2) / (this.svg.clientWidth || 1);
      this.svg.style.width = this.natural * this.scale + "px";
      this.map.classList.toggle("whole", this.scale < 0.99);
      this.map.scrollLeft = middle * this.svg.clientWidth - this.map.clientWidth / 2;
    },
    key(event) {
      const by = { "+": 1.5, "-": 1 / 1.5, 0: 0 }[event.key];
      if (by === undefined || event.ctrlKey || event.metaKey) return;
      event.preventDefault();
      this.by(by);
    },
    twice(event) {
      if (!event.target.closest("a")) this.by(this.scale < 0.99 ? 1 / this.scale : 1.5);
    },
  }));

  // Tests that have the words, by phase: what has none is folded away.
  Alpine.data("seek", () => ({
    find() {
      const words = this.$el.value.trim().toLowerCase();
      for (const phase of document.querySelectorAll("details.phase")) {
        let found = 0;
        for (const line of phase.querySelectorAll(".sought")) {
          line.hidden = words !== "" && !line.textContent.toLowerCase().includes(words);
          if (!line.hidden) found += 1;
        }
        phase.hidden = found === 0;
        phase.open = words !== "" && found > 0;
      }
    },
  }));

  // A menu shuts when one goes on past it, and by Escape.
  Alpine.data("menu", () => ({
    shut() {
      this.$root.open = false;
      this.$root.querySelector("summary").focus();
    },
    left(event) {
      if (event.relatedTarget && !this.$root.contains(event.relatedTarget)) this.$root.open = false;
    },
  }));

  // A photograph to trace from: a tap sets where the next mark goes; its fields can be typed as well.
  Alpine.data("marks", () => ({
    placed: false,
    init() {
      this.typed();
    },
    tap(event) {
      const box = this.$refs.picture.getBoundingClientRect();
      const percent = (at, from, whole) => Math.min(100, Math.max(0, ((at - from) / whole) * 100)).toFixed(2);
      this.$refs.across.value = percent(event.clientX, box.left, box.width);
      this.$refs.down.value = percent(event.clientY, box.top, box.height);
      this.typed();
      this.$nextTick(() => this.$refs.what.scrollIntoView({ block: "nearest" }));
    },
    typed() {
      const [x, y] = [this.$refs.across, this.$refs.down].map((f) => (f.value.trim() === "" ? NaN : Number(f.value.replace(",", "."))));
      this.placed = [x, y].every((n) => n >= 0 && n <= 100);
      const ghost = this.$refs.ghost;
      ghost.setAttribute("visibility", this.placed ? "visible" : "hidden");
      if (!this.placed) return;
      ghost.setAttribute("cx", x + "%");
      ghost.setAttribute("cy", y + "%");
    },
  }));

  // A photograph that was shared with this device waits here until its visit has it.
  Alpine.data("shared", () => ({
    name: "",
    missing: false,
    async init() {
      if (!location.pathname.startsWith("/shared") && !new URLSearchParams(location.search).has("shared")) return;
      const photo = "caches" in window ? await (await caches.open("murvet-shared")).match("/shared/photo") : undefined;
      this.missing = !photo;
      if (!photo) return;
      const name = decodeURIComponent(photo.headers.get("X-Name") || "photograph");
      this.name = said("script.shared").replace("{0}", name);
      const field = this.$refs.photo;
      if (!field) return;
      const files = new DataTransfer();
      files.items.add(new File([await photo.blob()], name.replace(/[/\\]/g, "-"), { type: photo.headers.get("Content-Type") }));
      field.files = files.files;
      field.form.addEventListener("submit", () => caches.delete("murvet-shared"));
    },
  }));

  // What this browser keeps of Murvet, counted, and how to be rid of it.
  Alpine.data("device", () => ({
    known: false,
    lines: [],
    unsent: 0,
    done: "",
    init() {
      this.look();
    },
    async look() {
      const pages = "caches" in window ? (await (await caches.open("murvet-visits")).keys()).filter((r) => !new URL(r.url).pathname.startsWith("/assets/")).length : 0;
      const drafts = Object.keys(localStorage).filter((k) => k.startsWith("murvet-trace-") || k.startsWith("murvet-typed"));
      this.unsent = (await waiting.all()).length + drafts.length;
      const size = (await navigator.storage?.estimate?.())?.usage || 0;
      this.lines = [["script.device-pages", pages], ["script.device-waiting", (await waiting.all()).length], ["script.device-drafts", drafts.length], ["script.device-size", (size / 1e6).toFixed(1)]].map(([key, n]) => said(key).replace("{0}", n));
      this.known = true;
    },
    async pages() {
      await Promise.all(["murvet-visits", "murvet-shared"].map((name) => caches.delete(name)));
      this.done = said("script.device-removed");
      this.look();
    },
    allWords() {
      return said("script.device-remove-all").replace("{0}", this.unsent);
    },
    async all() {
      if (!confirm(said("script.device-sure").replace("{0}", this.unsent))) return;
      await waiting.within("readwrite", (kept) => kept.clear());
      Object.keys(localStorage).filter((k) => k.startsWith("murvet-trace-")).forEach((k) => localStorage.removeItem(k));
      typed.forgetAll();
      await this.pages();
    },
  }));

  // Light or dark paper, kept in this browser; without a choice the device decides.
  Alpine.data("paper", () => ({
    turn() {
      const root = document.documentElement;
      const dark = root.dataset.light ? root.dataset.light === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
      root.dataset.light = dark ? "light" : "dark";
      localStorage.setItem("murvet-light", root.dataset.light);
    },
  }));

  // A customer who is known is offered as the name is typed.
  Alpine.data("customers", () => ({
    timer: 0,
    typed() {
      clearTimeout(this.timer);
      const field = this.$el;
      this.timer = setTimeout(async () => {
        try {
          const answer = await fetch("/customers?q=" + encodeURIComponent(field.value.trim()));
          if (!answer.ok) return;
          const offered = (await answer.json()).map((name) => Object.assign(document.createElement("option"), { value: name }));
          document.getElementById("customers").replaceChildren(...offered);
        } catch (e) {
          // Without the server the name is typed whole.
        }
      }, 150);
    },
  }));

  // The bench: works out again while something is typed.
  Alpine.data("bench", () => ({
    timer: 0,
    init() {
      this.part = this.$el.dataset.part;
    },
    typed() {
      clearTimeout(this.timer);
      this.timer = setTimeout(async () => {
        const query = new URLSearchParams(new FormData(this.$refs.form));
        try {
          const answer = await fetch(this.part + "?" + query);
          if (answer.ok) this.$refs.result.innerHTML = await answer.text();
        } catch (e) {
          // Without the server the button says so.
        }
      }, 200);
    },
  }));

  // Forgets the kept draft once the server has it.
  Alpine.data("savedDraft", () => ({
    init() {
      const { visit, revision } = this.$el.dataset;
      const key = "murvet-trace-" + visit;
      // What was typed on top of the saved revision is a draft of its own.
      if (JSON.parse(localStorage.getItem(key) || "{}").base !== revision) localStorage.removeItem(key);
    },
  }));

  // What waits to be delivered, counted in the head of every page of a visit; tried again now and then.
  Alpine.data("waiting", () => ({
    count: 0,
    refused: [],
    async init() {
      addEventListener("murvet-waiting", () => this.look());
      addEventListener("online", () => this.retry());
      setInterval(() => this.count && this.retry(), 4000);
      await this.look();
      if (this.count) this.retry();
    },
    async look() {
      const list = await waiting.all();
      this.count = list.filter((r) => !r.refused).length;
      this.refused = list.filter((r) => r.refused);
    },
    async retry() {
      const before = this.count;
      await waiting.send();
      await this.look();
      // What was delivered shows on the page of readings.
      if (before && !this.count && /\/readings$/.test(location.pathname)) location.reload();
      if (before && !this.count && ahead) location.assign("/visits/" + ahead.visit + "/walk");
    },
    async letGo() {
      const n = Number(this.$el.dataset.n);
      await waiting.within("readwrite", (kept) => kept.delete(n));
      this.look();
    },
    refusedWords(r) {
      return (r.form ? r.words : r.test + ", " + r.value) + ": " + r.refused;
    },
    words() {
      return said("script.waits").replace("{0}", this.count);
    },
  }));

  // The grid of a phase: what is typed is kept here first, then sent.
  Alpine.data("grid", () => ({
    init() {
      this.visit = this.$el.dataset.visit;
    },
    async keep(event) {
      event.preventDefault();
      const fields = [...event.target.querySelectorAll("[name^='v:']")].filter((f) => f.value.trim());
      for (const field of fields) {
        await waiting.add(this.visit, field.name.slice(2), field.value);
        field.value = "";
      }
      typed.forget(event.target);
      dispatchEvent(new Event("murvet-waiting"));
      if (await waiting.send()) location.reload();
    },
  }));

  // How far a run over every rig is, followed; the page comes anew when it is over.
  Alpine.data("fleetRun", () => ({
    init() {
      setInterval(() => this.look(), 2000);
    },
    async look() {
      try {
        const answer = await fetch(this.$el.dataset.at);
        if (!answer.ok) return;
        const told = await answer.json();
        this.$el.textContent = told.words;
        if (told.over) location.reload();
      } catch (e) {
        // Asked again in a while.
      }
    },
  }));

  // What the rig's monitor shows, followed.
  Alpine.data("monitor", () => ({
    init() {
      const at = "/visits/" + this.$el.dataset.visit + "/monitor/now";
      setInterval(() => this.look(at), 2000);
    },
    async look(at) {
      let told = { problem: said("script.no-answer") };
      try {
        const answer = await fetch(at);
        if (answer.ok) told = await answer.json();
      } catch (e) {
        // The page says so.
      }
      this.$refs.problem.hidden = !told.problem;
      this.$refs.problem.textContent = told.problem || "";
      for (const key of ["volts", "amps", "watts", "charge", "celsius"]) this.$refs[key].textContent = told[key] || "–";
    },
  }));

  // The line that the chips of an open end make, as it stands.
  Alpine.data("sentence", () => ({
    init() {
      this.form = this.$el;
      this.write();
    },
    // The chips of the conductor that was traced last are pressed, those that there are.
    asLast() {
      const told = this.$el.dataset;
      for (const name of ["length", "size", "insulation", "cores"]) {
        const chip = [...this.form.querySelectorAll("[name=" + name + "]")].find((c) => c.value === told[name]);
        if (chip) chip.checked = true;
      }
      const flex = this.form.querySelector("[name=flex]");
      if (flex) flex.checked = Boolean(told.flex);
      this.write();
    },
    write() {
      const told = new FormData(this.form);
      const typed = (told.get("typed") || "").trim();
      const unit = this.form.querySelector(".other").lastChild.textContent.trim();
      const length = typed ? (/^[\d.,]+$/.test(typed) ? typed + unit : typed) : told.get("length");
      const size = told.get("size");
      const named = (value, name) => (value === "?" ? name + " ?" : value);
      const words = told.get("cores")
        ? [told.get("cores") + "x" + size, told.get("flex") ? "flex" : "", named(length, "length")]
        : told.get("bolted") ? [] : [named(length, "length"), named(size, "size"), told.get("colour"), told.get("insulation")];
      const ways = told.getAll("via").map((place) => "via " + place);
      this.$refs.line.textContent = this.form.dataset.start + " " + [...words, ...ways].filter(Boolean).join(" ") + ", …";
    },
  }));

  // The number pad of the readings.
  Alpine.data("keypad", () => ({
    problem: "",
    live: "",
    following: false,
    init() {
      this.visit = this.$el.dataset.visit;
      this.form = this.$el;
      this.field = this.$refs.value || this.form.querySelector("[name=part]");
    },
    // The field that the keys of the pad write into.
    here() {
      this.field = this.$el;
    },
    async ask(instrument, test, part) {
      try {
        const answer = await fetch("/visits/" + this.visit + "/readings/" + instrument, {
          method: "POST",
          headers: { "Content-Type": "application/json" },
          body: JSON.stringify({ test, part }),
        });
        const told = await answer.json();
        this.problem = told.problem || "";
        return told;
      } catch (e) {
        this.problem = said("script.no-answer");
        return {};
      }
    },
    // What the meter shows goes into the field; the key beside it enters it.
    async fromMeter() {
      const { test, part } = this.$el.dataset;
      const field = part === undefined ? this.$refs.value : this.form.querySelector("#part-" + part);
      const told = await this.ask("meter", test, part === undefined ? undefined : Number(part));
      if (told.value) field.value = told.value;
      field.focus();
    },
    async fromMonitor() {
      const told = await this.ask("monitor", this.$el.dataset.test);
      if (told.value) this.$refs.value.value = told.value;
      const tool = this.form.querySelector("option[value=monitor]");
      if (told.value && tool) tool.selected = true;
      this.$refs.value.focus();
    },
    // The meter is asked again and again; its value stands beside the field and as a mark on the strip.
    async follow() {
      this.following = !this.following;
      const test = this.$el.dataset.test;
      const mark = document.querySelector("#strip .live-mark");
      while (this.following) {
        const told = await this.ask("meter", test);
        this.live = told.value || "";
        if (mark) mark.hidden = told.at === undefined || told.at === null;
        if (mark && !mark.hidden) mark.style.left = 100 * told.at + "%";
        if (told.problem || !told.value) this.following = false;
        await new Promise((on) => setTimeout(on, 700));
      }
      if (mark) mark.hidden = true;
      this.live = "";
    },
    // A reading is kept here first, then sent: a lost connection, a reload or an empty battery loses nothing.
    async keep(event) {
      event.preventDefault();
      const test = event.target.elements.test.value;
      const parts = [...event.target.querySelectorAll("[name=part]")].map((f) => f.value.trim());
      const value = event.submitter?.value || (parts.length ? parts.join(";") : event.target.elements.value.value);
      const tools = [...event.target.querySelectorAll("[name=tool]")].map((f) => f.value);
      if (!value.trim() || parts.some((p) => !p)) {
        this.problem = said("script.type-value");
        return;
      }
      this.following = false;
      await waiting.add(this.visit, test, value, tools);
      typed.forget(event.target);
      const sent = await waiting.send();
      const refused = (await waiting.all()).filter((r) => r.refused && r.test === test && r.value === value).pop();
      if (refused) {
        this.problem = refused.refused;
        await waiting.within("readwrite", (kept) => kept.delete(refused.n));
        dispatchEvent(new Event("murvet-waiting"));
      } else if (sent) {
        const after = event.target.dataset.after;
        const to = (after || "/visits/" + this.visit + "/readings?test=") + encodeURIComponent(test);
        if (after) location.assign(to);
        else if (location.pathname + location.search === to || new URLSearchParams(location.search).get("test") === test) location.reload();
        else location.assign(to + "#entry");
      } else {
        this.problem = "";
        if (this.$refs.value) this.$refs.value.value = "";
        dispatchEvent(new Event("murvet-waiting"));
        if (ahead) ahead.onward();
      }
    },
    press() {
      const field = this.field;
      const { key, unit } = this.$el.dataset;
      const at = field.value.lastIndexOf(";") + 1;
      const before = field.value.slice(0, at) + (at ? " " : "");
      const last = field.value.slice(at).trim();
      if (key === "back") field.value = field.value.trimEnd().slice(0, -1);
      else if (key === "over") field.value = before + "OL";
      else if (key === "more") field.value = last ? field.value.trimEnd() + "; " : field.value;
      else if (key === "wanders") field.value = field.value.includes("~") ? field.value.replace(/\s*~/g, "") : field.value.trimEnd() + " ~";
      else if (key === "unit") field.value = last ? before + last.replace(/\s*[a-zA-Z]+$/, "") + " " + unit : field.value;
      else if (key === "." && last.includes(".")) return;
      else field.value = before + (last === "OL" ? "" : last) + key;
    },
  }));
});
