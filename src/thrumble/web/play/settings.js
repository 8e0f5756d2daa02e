// What the next take is played with: one row that folds away. It is kept in this browser, but for
// tempo and rounds, which belong to the riff that is practised.
import { endsAfter, onKey, problem } from "../shared/site.js";

const $ = (id) => document.getElementById(id);
const KEPT = "thrumble-take";
const HEARD = ["click", "groove", "backing", "silence", "count-bars", "voice"];
const LEVELS = ["click-level", "groove-level", "backing-level"];
const OTHERS = ["eye-cue", "tone", "then"];
const ALL = [...HEARD, ...LEVELS, ...OTHERS];
const SEEDS = 2 ** 31;

export class Settings {
  data;
  onSounds;

  /** data: of the page; plan: its plan, with the score of a plain click; onSounds(names): these
   *  will be heard. */
  constructor(data, plan, onSounds) {
    this.known = { score: plan.score, along: plan.along };
    Object.assign(this, { data, onSounds, asked: null });
    this.recall();
    for (const id of ALL) $(id).addEventListener("change", () => this.changed());
    this.leaveAfterPointer();
    $("settings-button").addEventListener("click", () => this.toggle());
    $("settings").addEventListener("keydown", (event) => {
      if (event.key === "Escape") this.toggle(false);
    });
    onKey("s", () => this.toggle());
    onKey("f", () => this.next("eye-cue"));
    this.changed();
  }
  /** Whoever chose with the mouse or a finger wants the keys back: space counts in. */
  leaveAfterPointer() {
    let pointed = false;
    addEventListener(
      "pointerdown",
      () => {
        pointed = true;
      },
      true,
    );
    addEventListener(
      "keydown",
      () => {
        pointed = false;
      },
      true,
    );
    $("controls").addEventListener("change", ({ target }) => {
      if (pointed && target.matches("select, [type=range]")) target.blur();
    });
  }
  get rests() {
    return $("then").value === "round" ? null : Number($("then").value);
  }
  get round() {
    return $("then").value === "round";
  }
  get cueMm() {
    return Number($("eye-cue").value);
  }
  get tone() {
    return Number($("tone").value) || null;
  }

  get open() {
    return !$("settings").hidden;
  }
  toggle(open = $("settings").hidden) {
    const focused = /** @type {HTMLElement} */ (document.activeElement);
    $("settings").hidden = !open;
    $("settings-button").setAttribute("aria-expanded", String(open));
    if (open) $("click").focus();
    else if ($("settings").contains(focused)) focused?.blur();
  }
  next(id) {
    const choice = $(id);
    choice.selectedIndex = (choice.selectedIndex + 1) % choice.options.length;
    choice.dispatchEvent(new Event("change"));
  }

  /** As the server knows it. `seed`: of bars left out at random. */
  along() {
    const heard = Object.fromEntries(HEARD.map((id) => [id.replace("-", "_"), $(id).value]));
    const levels = LEVELS.map((id) => [id.replace("-", "_"), Number($(id).value) / 100]);
    const count = Number($("count-bars").value);
    return { ...heard, ...Object.fromEntries(levels), count_bars: count, seed: this.seed ?? 0 };
  }

  changed() {
    this.keep();
    $("settings-words").textContent = this.words();
    $("groove-level").disabled = !$("groove").value;
    $("backing-level").disabled = $("backing").value === "none";
    this.ask().then(
      () => this.onSounds(this.sounds),
      () => {},
    ); // so that it is here in an outage
  }
  get sounds() {
    const { count, round } = this.known.score;
    return [...count, ...round].map(([, sound]) => sound);
  }
  words() {
    const said = (id) => $(id).selectedOptions[0]?.textContent ?? "";
    const parts = [
      $("click").value === "none" ? "click in the count-in only" : `click ${said("click")}`,
    ];
    if ($("groove").value) parts.push(`drums ${said("groove").split(",")[0]}`);
    if ($("backing").value !== "none") parts.push(`with ${said("backing")}`);
    if ($("silence").value !== "none") parts.push(`silent ${said("silence")}`);
    parts.push(`count-in ${said("count-bars")}`);
    if ($("tone").value) parts.push(said("tone"));
    return parts.join(" · ");
  }

  /** { score, along } of what is chosen: the last that is known where Thrumble doesn't answer. */
  async ready() {
    if ($("silence").value === "random") this.seed = Math.floor(Math.random() * SEEDS);
    try {
      await this.ask();
    } catch {
      problem("Thrumble isn't answering right now: this take has the click you had before.");
    }
    return this.known;
  }
  async ask() {
    const along = this.along();
    const query = new URLSearchParams(along).toString();
    if (query === this.asked) return;
    const answer = await fetch(`${this.data.along}?${query}`, {
      headers: { accept: "application/json" },
      signal: endsAfter(4000),
    });
    if (!answer.ok) throw new Error();
    this.known = { score: await answer.json(), along };
    this.asked = query;
  }

  keep() {
    const values = Object.fromEntries(ALL.map((id) => [id, $(id).value]));
    try {
      localStorage.setItem(KEPT, JSON.stringify(values));
    } catch {
      /* this page only */
    }
  }
  recall() {
    let kept = {};
    try {
      kept = JSON.parse(localStorage.getItem(KEPT)) ?? {};
    } catch {
      /* as it comes */
    }
    for (const [id, value] of Object.entries(kept)) {
      const field = ALL.includes(id) ? $(id) : null;
      const known = field?.options ? [...field.options].some((o) => o.value === value) : true;
      if (field && known) field.value = value;
    }
  }
}
