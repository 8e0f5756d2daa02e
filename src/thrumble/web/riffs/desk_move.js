// Bars moved on the strip: by their grips, or one place back or on by a key. The chosen bars move
// together.

const EDGE_PX = 50; // so near the window's edge the page scrolls
const SCROLL_PX = 9; // a frame

/** desk: { bars(), chosen(), isChosen(), edit(asked, then), choose(first, last) } */
export function mover(desk) {
  let shown = null; // the element that shows where the bars would land

  let scrolling = 0; // px a frame

  function scroll() {
    if (!scrolling) return;
    scrollBy(0, scrolling);
    requestAnimationFrame(scroll);
  }

  /** Scrolls as long as the pointer is near the top, or the tools at the bottom. */
  function scrollAt(clientY) {
    const was = scrolling;
    const bottom = document.querySelector(".dock").getBoundingClientRect().top;
    scrolling = clientY < EDGE_PX ? -SCROLL_PX : clientY > bottom - EDGE_PX / 2 ? SCROLL_PX : 0;
    if (!was) scroll();
  }

  function show(element, behind) {
    shown?.classList.remove("drop-before", "drop-behind");
    shown = element;
    shown?.classList.add(behind ? "drop-behind" : "drop-before");
  }

  /** Where bars let go at a point would land, or null. */
  function spotAt(clientX, clientY) {
    const element = document.elementFromPoint(clientX, clientY)?.closest("#desk-bars .desk-bar");
    if (!element) return null;
    const { left, width } = element.getBoundingClientRect();
    return { element, bar: Number(element.dataset.index), behind: clientX > left + width / 2 };
  }

  /** One edit, worked out in its turn: `where` gives { first, last, to, behind } or null. */
  function move(where) {
    let landed = null; // first and last of the bars where they are then
    const asked = () => {
      const { first, last, to, behind } = where() ?? {};
      if (first === undefined || (to >= first && to <= last)) return { op: "draw" };
      const place = to + (behind ? 1 : 0);
      const begin = place <= first ? place : place - (last - first + 1);
      landed = [begin, begin + last - first];
      return { op: "move", bar: first, last, to, behind };
    };
    desk.edit(asked, () => {
      if (landed) desk.choose(...landed);
    });
  }

  return {
    over(clientX, clientY) {
      scrollAt(clientY);
      const spot = spotAt(clientX, clientY);
      show(spot?.element ?? null, spot?.behind);
    },
    cancel() {
      scrolling = 0;
      show(null);
    },
    /** Lets go of the bar whose grip was taken, or of all that are chosen with it. */
    drop(grip, clientX, clientY) {
      const spot = spotAt(clientX, clientY);
      if (!spot) return;
      const [from, until] = desk.chosen();
      const together = desk.isChosen() && grip >= from && grip <= until;
      const [first, last] = together ? [from, until] : [grip, grip];
      move(() => ({ first, last, to: spot.bar, behind: spot.behind }));
    },
    /** One place back (-1) or on (1); over a section's edge they change the section first. */
    step: (by) =>
      move(() => {
        const bars = desk.bars();
        const [first, last] = desk.chosen();
        const edge = bars[by < 0 ? first : last];
        const next = bars[edge.index + by];
        if (!next) return null;
        const another = next.section !== edge.section;
        return { first, last, to: next.index, behind: by < 0 ? another : !another };
      }),
  };
}
