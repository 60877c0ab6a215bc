// Components for Alpine's CSP build. Pages work without them; they add live checking and the keypad.
const light = localStorage.getItem("murvet-light");
if (light) document.documentElement.dataset.light = light;

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
    init() {
      // In a handler $el is the element of the event, so the addresses are kept from here.
      const { visit, check, suggest, open, posted } = this.$el.dataset;
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
        this.draftNote = "What you typed before is back. It is not saved yet.";
      } else if (kept && kept.entry) {
        this.entry = kept.entry;
      }
      this.past = [area.value];
      this.check();
      this.suggest();
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
      this.keep();
      this.check();
      this.suggest();
    },
    // A file takes the place of the text, as one step that can be undone.
    async openFile(event) {
      const file = event.target.files[0];
      if (!file) return;
      this.step();
      try {
        const text = await file.text();
        const answer = await fetch(this.openAt, { method: "POST", headers: csrf, body: JSON.stringify({ text }) });
        const said = answer.ok ? await answer.json() : { message: "The file is too long, or the server refused it." };
        if (said.message) this.message = said.message;
        else {
          this.put(said.text);
          this.step();
        }
      } catch (e) {
        this.message = "The file cannot be read, or the server does not answer.";
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
      this.suggest();
    },
    repeat() {
      const lines = this.$refs.text.value.split("\n").filter((l) => l.trim() && !l.trim().startsWith("#"));
      if (lines.length) this.write(lines[lines.length - 1]);
    },
    mirrorLast() {
      if (this.mirror) this.write(this.mirror);
    },
    keys(event) {
      const of = { r: "repeat", m: "mirrorLast", z: "undo", y: "redo" };
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
      this.asking = setTimeout(() => this.suggest(), 90);
    },
    async check() {
      try {
        const answer = await fetch(this.checkAt, {
          method: "POST",
          headers: csrf,
          body: JSON.stringify({ text: this.$refs.text.value }),
        });
        if (!answer.ok) throw new Error(answer.status);
        const result = await answer.json();
        this.$refs.result.innerHTML = result.html;
        this.message = "";
      } catch (e) {
        this.message = "The server does not answer. What you type is kept here.";
      }
    },
    async suggest() {
      try {
        const answer = await fetch(this.suggestAt, {
          method: "POST",
          headers: csrf,
          body: JSON.stringify({ text: this.$refs.text.value, line: this.entry }),
        });
        if (answer.ok) {
          const said = await answer.json();
          this.choices = said.choices;
          this.stands = said.stands || "";
          this.mirror = said.mirror || "";
        }
      } catch (e) {
        this.choices = [];
      }
    },
    take() {
      this.word(this.$el.dataset.word);
    },
    word(word) {
      const at = this.entry.search(/[^\s,:]*$/);
      this.write(this.entry.slice(0, at) + word + " ");
    },
    add() {
      const line = this.entry.trim();
      if (!line) return;
      const area = this.$refs.text;
      this.step();
      area.value = area.value.replace(/\n*$/, "\n") + line + "\n";
      area.scrollTop = area.scrollHeight;
      this.entry = "";
      this.$refs.entry.value = "";
      this.step();
      this.keep();
      this.check();
      this.suggest();
      this.$refs.entry.focus();
    },
    discard() {
      if (this.saved !== undefined) this.$refs.text.value = this.saved;
      localStorage.removeItem(this.key);
      this.draftNote = "";
      this.check();
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
      localStorage.removeItem("murvet-trace-" + this.$el.dataset.visit);
    },
  }));

  // The number pad of the readings.
  Alpine.data("keypad", () => ({
    press() {
      const field = this.$refs.value;
      const key = this.$el.dataset.key;
      if (key === "back") field.value = field.value.slice(0, -1);
      else if (key === "over") field.value = "OL";
      else if (key === "." && field.value.includes(".")) return;
      else field.value = (field.value === "OL" ? "" : field.value) + key;
    },
  }));
});
