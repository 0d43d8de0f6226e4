// The split bar: shares drawn to scale, with handles between them for mouse, touch and keys. It writes into the number
// fields, which work without it. What a handle gives to one page it takes from its neighbour, so the split always adds
// up to 100.
import { even, giveWay, moveBorder, sumOf, total } from "./weights.js";

const root = document.querySelector("[data-split]");
const svgNamespace = "http://www.w3.org/2000/svg";

class SplitBar {
  constructor(section) {
    this.section = section;
    this.bar = section.querySelector("[data-bar]");
    // From now on it keeps its room, so that nothing moves while weights are typed that do not add up yet.
    this.bar.dataset.drawn = "";
    this.problem = section.querySelector("[data-split-problem]");
    this.perDay = Number(section.dataset.perDay);
    for (const part of section.querySelectorAll("[data-split-tools], [data-split-hint]")) part.hidden = false;
    section.querySelector("[data-even]").addEventListener("click", () => this.set(this.even()));
    section
      .querySelector("[data-only]")
      .addEventListener("click", () => this.set(this.pages().map((_, i) => (i === 0 ? total : 0))));
    this.typed = [];
    section.addEventListener("change", (event) => {
      if (event.target.matches("[data-in]")) this.set(this.even());
      else if (event.target.matches("[data-weight]")) this.giveWay(event.target.closest("[data-row]"));
      else this.draw();
    });
    section.addEventListener("input", () => this.draw());
    this.follow(section.closest("form"));
    this.draw();
  }

  /** Asks what lies ahead with the settings as they stand, a moment after the last change. */
  follow(form) {
    // The rate that is expected goes with what counts, until somebody says otherwise.
    const [goal, rate] = [form.querySelector("[name=Goal]"), form.querySelector("[name=BaseRate]")];
    goal?.addEventListener("change", () => {
      const past = goal.selectedOptions[0]?.dataset.rate;
      if (rate && past && rate.value === rate.defaultValue) rate.value = rate.defaultValue = past;
    });
    form.addEventListener("input", () => this.ask(form));
    form.addEventListener("change", () => this.ask(form));
    this.form = form;
    this.asked = "";
  }

  /** Of a running test as it was started; of a new one as it is set in the form. */
  isFewerBetter(form) {
    const goal = form.querySelector("[name=Goal]");
    if (!goal) return "fewerIsBetter" in this.section.dataset;
    return goal.value === "0" && (form.querySelector("[name='MainGoal.LessIsBetter']")?.checked ?? false);
  }

  ask(form) {
    clearTimeout(this.waiting);
    this.waiting = setTimeout(async () => {
      const value = (name) => form.querySelector(`[name=${name}]`)?.value;
      const { baseRate, smallestLift } = this.section.dataset;
      const query = new URLSearchParams({
        weights: this.weights().join("/"),
        allocation: form.querySelector("[data-allocation]:checked")?.value ?? "Random",
        floor: value("Floor") || 1,
        share: value("Share") || 100,
        baseRate: (value("BaseRate") ?? baseRate) || 0,
        smallestLift: (value("SmallestLift") ?? smallestLift) || 0,
        fewerIsBetter: this.isFewerBetter(form),
      }).toString();
      if (query === this.asked) return;
      this.asked = query;
      const answer = await fetch(`${this.section.dataset.ahead}&${query}`);
      const ahead = answer.ok ? await answer.json() : null;
      if (!ahead) return;
      form.querySelector("[data-shares]").textContent = ahead.shares;
      if (ahead.plan) form.querySelector("[data-plan]").textContent = ahead.plan;
      form.querySelectorAll("[data-next] .mark").forEach((mark, i) => {
        mark.textContent = ahead.next[i];
        mark.className = `mark mark-${ahead.next[i].toLowerCase()}`;
      });
    }, 150);
  }

  /** The rows in the test, the control first: A, B, C … */
  pages() {
    const rows = [...this.section.querySelectorAll("[data-row]")];
    const chosen = rows.filter((row) => row.querySelector("[data-in]")?.checked ?? true);
    return chosen.sort((a, b) => Number(this.isControl(b)) - Number(this.isControl(a)));
  }

  isControl(row) {
    return row.querySelector("[data-control]")?.checked ?? false;
  }

  weights() {
    return this.pages().map((row) => Math.max(0, Math.round(Number(row.querySelector("[data-weight]").value) || 0)));
  }

  even() {
    return even(this.pages().length);
  }

  set(weights) {
    this.pages().forEach((row, i) => (row.querySelector("[data-weight]").value = weights[i]));
    this.draw();
    if (this.form) this.ask(this.form);
  }

  /**
   * A weight was typed: the others give way, those that nobody typed first, then those typed longest ago, so that the
   * sum stays 100.
   */
  giveWay(row) {
    const pages = this.pages();
    const weights = this.weights();
    const own = pages.indexOf(row);
    if (own < 0) return;
    const typed = this.typed.filter((other) => other !== row);
    this.typed = [...typed, row];
    this.set(
      giveWay(
        weights,
        own,
        typed.map((other) => pages.indexOf(other)).filter((i) => i >= 0),
      ),
    );
  }

  /** Moves the border behind page i by so many percent, as far as its two neighbours allow. */
  move(i, by) {
    this.set(moveBorder(this.weights(), i, by));
  }

  /** In the server's own words: only the numbers are put in here. */
  problemOf(sum) {
    const { tooLittle, tooMuch } = this.problem.dataset;
    const words = sum < total ? tooLittle : sum > total ? tooMuch : "";
    return words.replace("{sum}", sum).replace("{rest}", Math.abs(total - sum));
  }

  draw() {
    const pages = this.pages();
    const weights = this.weights();
    const sum = sumOf(weights);
    for (const row of this.section.querySelectorAll("[data-row]")) {
      const place = pages.indexOf(row);
      const mark = row.querySelector("[data-letter]");
      mark.textContent = place < 0 ? "" : String.fromCharCode(65 + place);
      mark.className = place < 0 ? "mark-here" : `mark mark-${String.fromCharCode(97 + place)}`;
      row.querySelector("[data-weight]").disabled = place < 0;
    }
    const words = pages.length < 2 ? this.problem.dataset.tooFew : this.problemOf(sum);
    if (this.problem.textContent !== words) this.problem.textContent = words;
    if (sum !== total || pages.length < 2) {
      this.bar.replaceChildren();
      return;
    }

    const focused = this.bar.contains(document.activeElement) ? document.activeElement.dataset.handle : null;
    this.bar.replaceChildren();
    let from = 0;
    weights.forEach((weight, i) => {
      const letter = String.fromCharCode(65 + i);
      this.add("rect", {
        x: `${from}%`,
        y: 10,
        width: `${weight}%`,
        height: 54,
        class: `fill-${letter.toLowerCase()}`,
      });
      if (weight >= 8) {
        const label = this.add("svg", { x: `${from}%`, y: 10, width: `${weight}%`, height: 54 });
        this.add("text", { x: 14, y: 35, class: "bar-big" }, `${letter} ${weight}%`, label);
        if (this.perDay > 0 && weight >= 16)
          this.add(
            "text",
            { x: "100%", dx: -16, y: 34, class: "bar-small" },
            `${Math.round((this.perDay * weight) / total)} a day`,
            label,
          );
      }
      from += weight;
    });
    from = 0;
    for (let i = 0; i < weights.length - 1; i++) {
      from += weights[i];
      this.handle(i, from, weights);
    }
    if (focused !== null) this.bar.querySelector(`[data-handle="${focused}"]`)?.focus();
  }

  handle(i, place, weights) {
    const [left, right] = [String.fromCharCode(65 + i), String.fromCharCode(66 + i)];
    const group = this.add("svg", { x: `${place}%`, y: 0, overflow: "visible", width: 1, height: 76 });
    const grip = this.add(
      "g",
      {
        class: "handle",
        tabindex: 0,
        role: "slider",
        "data-handle": i,
        "aria-label": `Border between ${left} and ${right}`,
        "aria-valuemin": 0,
        "aria-valuemax": weights[i] + weights[i + 1],
        "aria-valuenow": weights[i],
        "aria-valuetext": `${left} ${weights[i]}%, ${right} ${weights[i + 1]}%`,
      },
      null,
      group,
    );
    this.add("path", { d: "M0 2v70", class: "border-line" }, null, grip);
    this.add("circle", { cx: 0, cy: 37, r: 11 }, null, grip);
    this.add("path", { d: "M-3 32v10M3 32v10", class: "grip" }, null, grip);
    grip.addEventListener("keydown", (event) => {
      const by = {
        ArrowLeft: -1,
        ArrowDown: -1,
        ArrowRight: 1,
        ArrowUp: 1,
        PageDown: -10,
        PageUp: 10,
        Home: -total,
        End: total,
      }[event.key];
      if (by === undefined) return;
      event.preventDefault();
      this.move(i, by);
    });
    grip.addEventListener("pointerdown", (event) => this.drag(event, i));
  }

  drag(down, i) {
    down.preventDefault();
    const box = this.bar.getBoundingClientRect();
    const follow = (event) => {
      const weights = this.weights();
      const before = sumOf(weights.slice(0, i));
      this.move(i, Math.round(((event.clientX - box.left) / box.width) * total) - before - weights[i]);
    };
    const end = () => {
      removeEventListener("pointermove", follow);
      removeEventListener("pointerup", end);
      this.bar.querySelector(`[data-handle="${i}"]`)?.focus();
    };
    addEventListener("pointermove", follow);
    addEventListener("pointerup", end);
  }

  add(name, attributes, text = null, parent = this.bar) {
    const element = document.createElementNS(svgNamespace, name);
    for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
    if (text) element.textContent = text;
    parent.append(element);
    return element;
  }
}

if (root) new SplitBar(root);
