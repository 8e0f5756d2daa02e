// The written bars of the desk as elements, each with the places where the caret may stand.

/** The bars as they stand now, in their container; those that are as they were keep their
 *  elements. */
export function redrawn(container, before, drawn) {
  const known = new Map(before.map((bar) => [bar.html, bar]));
  const bars = drawn.map((html) => known.get(html) ?? barOf(html));
  const shown = [...container.children];
  if (shown.length === bars.length) {
    bars.forEach(({ cell }, k) => {
      if (cell !== shown[k]) shown[k].replaceWith(cell);
    });
  } else {
    container.replaceChildren(...bars.map(({ cell }) => cell));
  }
  return bars;
}

/** { html, cell, element, index, section, places: [{ at, x, width, count, hit }] } of one bar; its
 *  cell holds the section's heading, too. */
function barOf(html) {
  const page = new DOMParser().parseFromString(html, "text/html");
  const cell = document.adoptNode(page.body.firstElementChild);
  const element = cell.querySelector(".desk-bar");
  const places = element.dataset.places.split(";").map((words) => {
    const [at, x, width, count, hit] = words.split(" ");
    return { at, x: Number(x), width: Number(width), count, hit: hit === "hit" };
  });
  const { index, section } = element.dataset;
  return { html, cell, element, index: Number(index), section, places };
}
