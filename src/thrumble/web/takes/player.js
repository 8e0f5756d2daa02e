// The strip as the player of its take: a line shows what sounds, a touch listens from there; at
// half speed, with the click, one bar in a loop, or the reference in its place.
import { onKey, problem } from "../shared/site.js";

const LEAD_S = 0.06;
const UNPLAYABLE = "This audio can't be played. Analyse the take again.";
const $ = (id) => document.getElementById(id);
const isOn = (button) => button.getAttribute("aria-pressed") === "true";

/** `heard(hit)`: the hit that was listened to last. */
export function stripPlayer(heard) {
  const sound = $("sound");
  const strip = $("strip");
  const head = $("playhead");
  const [half, click, reference, loop] = ["half", "with-click", "reference", "loop-bar"].map($);
  const { plain, reference: ideal } = $("listen").dataset;
  const buttons = [...document.querySelectorAll(".from")];
  const from = new Map(buttons.map((b) => [b.dataset.hit, Number(b.dataset.from)]));
  const times = [...new Set(from.values())].sort((a, b) => a - b);
  const bars = timedBars(strip);
  let wanted = plain;
  let loading = null;
  let asked = 0;
  let looped = null; // the bar that goes round

  /** Only in a sound that is here whole can be jumped about; each is fetched once. */
  function whole() {
    if (loading?.url !== wanted) loading = { url: wanted, done: load(wanted) };
    return loading.done;
  }

  async function load(url) {
    try {
      const answer = await fetch(url, { headers: { accept: "application/json, audio/*" } });
      if (!answer.ok) {
        const { problem: words } = await answer.json().catch(() => ({}));
        throw new Error(words ?? UNPLAYABLE);
      }
      const blob = await answer.blob();
      if (loading.url !== url) return; // another one is wanted by now
      await new Promise((resolve, reject) => {
        sound.onloadedmetadata = resolve;
        sound.onerror = () => reject(new Error(UNPLAYABLE));
        sound.preload = "auto"; // without it Firefox waits with what it holds already
        sound.src = URL.createObjectURL(blob);
      });
    } catch (error) {
      if (loading.url === url) loading = null; // the next press tries again
      throw error;
    }
  }

  /** Puts the sound where it was asked for last: a press while it still loads counts, not the one
   *  before. */
  async function put(seconds, playing) {
    const mine = ++asked;
    try {
      await whole();
      if (mine !== asked) return;
      sound.currentTime = Math.max(0, seconds);
      if (playing) await sound.play();
    } catch (error) {
      if (error.name === "AbortError") return;
      problem(error.message);
      if (isOn(reference)) choose(reference);
    }
  }

  /** Turns one of the buttons that choose what is heard. */
  function choose(button) {
    button.setAttribute("aria-pressed", String(!isOn(button)));
    wanted = (isOn(reference) ? ideal : plain) + (isOn(click) ? "?click=true" : "");
    put(sound.currentTime, !sound.paused);
  }

  function setSpeed() {
    sound.preservesPitch = true;
    sound.playbackRate = isOn(half) ? 0.5 : 1;
  }

  function toggleHalf() {
    half.setAttribute("aria-pressed", String(!isOn(half)));
    setSpeed();
  }

  const barAt = (seconds) => bars.findLast((bar) => bar.start <= seconds + 1e-3) ?? bars[0];

  function loopBar(bar = isOn(loop) ? null : barAt(sound.currentTime)) {
    looped = bar ?? null;
    loop.setAttribute("aria-pressed", String(looped !== null));
    if (looped) put(looped.start - LEAD_S, true);
  }

  function toggle() {
    if (sound.paused) put(sound.currentTime, true);
    else sound.pause();
  }

  function step(way) {
    const now = sound.currentTime + LEAD_S;
    const next =
      way > 0 ? times.find((t) => t > now + 0.02) : times.findLast((t) => t < now - 0.15);
    if (next === undefined) return;
    heard([...from].find(([, t]) => t === next)[0]);
    put(next - LEAD_S, true);
  }

  let marked = [];
  function follow() {
    const now = sound.currentTime;
    const over = looped && now > looped.end;
    if (over && !sound.paused) sound.currentTime = Math.max(0, looped.start - LEAD_S);
    const hit = [...from].findLast(([, t]) => t <= now + 0.01);
    for (const block of marked) block.classList.remove("sounding");
    marked =
      hit && !sound.paused ? [...strip.querySelectorAll(`.block[data-hit="${hit[0]}"]`)] : [];
    for (const block of marked) block.classList.add("sounding");
    showHead(now);
    if (!sound.paused) requestAnimationFrame(follow);
  }

  function showHead(now) {
    const minutes = Math.floor(now / 60);
    $("listen-time").textContent = `${minutes}:${String(Math.floor(now % 60)).padStart(2, "0")}`;
    const bar = barAt(now);
    head.hidden = !bar || now < bar.start;
    if (head.hidden) return;
    const box = drawnBox(bar.element);
    const edge = strip.getBoundingClientRect();
    const share = Math.min(1, (now - bar.start) / (bar.end - bar.start));
    head.style.left = `${box.left - edge.left + share * box.width}px`;
    head.style.top = `${box.top - edge.top}px`;
    head.style.height = `${box.height}px`;
    const outside = box.top < 0 || box.bottom > innerHeight - 90;
    const zoomed = strip.querySelector(".zoomed") !== null; // then that bar stays in sight
    if (!sound.paused && outside && !zoomed) bar.element.scrollIntoView({ block: "center" });
  }

  function shown() {
    const button = $("listen-button");
    button.setAttribute("aria-pressed", String(!sound.paused));
    button.querySelector("span").textContent = sound.paused ? "Listen" : "Pause";
    follow();
  }

  sound.addEventListener("loadedmetadata", setSpeed); // loading puts the speed back to 1
  for (const event of ["play", "pause", "ended"]) sound.addEventListener(event, shown);
  sound.addEventListener("seeked", () => showHead(sound.currentTime));
  $("listen-button").addEventListener("click", toggle);
  half.addEventListener("click", toggleHalf);
  click.addEventListener("click", () => choose(click));
  reference.addEventListener("click", () => choose(reference));
  loop.addEventListener("click", () => loopBar());
  document.addEventListener("click", ({ target }) => {
    const button = target.closest(".from");
    if (button) put(Number(button.dataset.from) - LEAD_S, true);
  });
  strip.addEventListener("click", ({ target, clientX }) => {
    const hit = target.closest(".block[data-hit]")?.dataset.hit;
    const element = target.closest("svg.bar");
    const bar = bars.find((other) => other.element === element);
    if (looped && bar && bar !== looped) loopBar(bar);
    else if (from.has(hit)) put(from.get(hit) - LEAD_S, true);
    else if (bar) {
      const box = drawnBox(element);
      put(bar.start + ((clientX - box.left) / box.width) * (bar.end - bar.start), true);
    }
  });
  onKey("l", toggle);
  onKey("h", toggleHalf);
  onKey("c", () => choose(click));
  onKey("i", () => choose(reference));
  onKey("o", () => loopBar());
  onKey("ArrowRight", () => step(1));
  onKey("ArrowLeft", () => step(-1));

  return {
    /** Listens from half a bar before a hit; in a loop, to its bar round and round. */
    hear(hit, element) {
      const bar = bars.find((other) => other.element === element);
      if (looped && bar) loopBar(bar);
      else if (from.has(hit)) put(from.get(hit) - (bar ? (bar.end - bar.start) / 2 : LEAD_S), true);
    },
  };
}

/** Every bar of the strip with its start and end in the take's seconds; none if they aren't
 *  known. */
function timedBars(strip) {
  const { origin, stretch } = strip.dataset;
  if (origin === undefined) return [];
  const bars = [...strip.querySelectorAll("svg.bar")].map((element) => ({
    element,
    start: Number(origin) + Number(element.dataset.start) * Number(stretch),
    end: 0,
  }));
  const pace = bars.length > 1 ? (bars[1].start - bars[0].start) / widthOf(bars[0]) : 0.01;
  bars.forEach((bar, k) => {
    bar.end = bars[k + 1]?.start ?? bar.start + pace * widthOf(bar);
  });
  return bars;
}

/** Where a bar is drawn on the screen: less than its element's box where that is wider. */
function drawnBox(element) {
  const { a, d, e, f } = element.getScreenCTM();
  const height = d * Number(element.getAttribute("height"));
  return { left: e, top: f, width: a * widthOf({ element }), height, bottom: f + height };
}

const widthOf = ({ element }) => Number(element.getAttribute("width"));
