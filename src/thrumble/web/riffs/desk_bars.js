// The written bars of the desk as elements, each with the places where the caret may stand.

/** The bars as they stand now, in their container; those that are as they were keep their
 *  elements. */
export function redrawn(container, before, drawn) {
  const known = new Map(before.map((bar) => [bar.html, bar]));
  const bars = drawn.map((html) => known.get(html) ?? barOf(html));
  const shown = [...container.children];
  if (shown.length === bars.length) {
    bars.forEach(({ element }, k) => {
      if (element !== shown[k]) shown[k].replaceWith(element);
    });
  } else {
    container.replaceChildren(...bars.map(({ element }) => element));
  }
  return bars;
}

/** { html, element, index, section, places: [{ at, x, width, count, hit }] } of one bar. */
function barOf(html) {
  const page = new DOMParser().parseFromString(html, "text/html");
  const element = /** @type {HTMLElement} */ (document.adoptNode(page.body.firstElementChild));
  const places = element.dataset.places.split(";").map((words) => {
    const [at, x, width, count, hit] = words.split(" ");
    return { at, x: Number(x), width: Number(width), count, hit: hit === "hit" };
  });
  const { index, section } = element.dataset;
  return { html, element, index: Number(index), section, places };
}
