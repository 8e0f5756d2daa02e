// The strip by mouse, finger and pen: a click sets the caret, dragging paints the hit it begins on,
// dragging the caret's handle lengthens it, a bar's grip moves the bar, right click and a long
// press open the menu.
const LONG_MS = 500;
const STILL_PX = 6;

/** desk: { spotAt(x, y), isHit(spot), caret(), point(spot, choosing), show(from, to),
 *  act(op, from, to), settle(), menu(x, y), mover: of desk_move.js } */
export function dragging(element, desk) {
  let from = null; // where it began: { op, spot, x, y, choosing }
  let to = null;
  let long = null;
  let grip = null; // the bar that is moved

  function end() {
    clearTimeout(long);
    from = to = grip = null;
    desk.mover.cancel();
  }

  function openMenu(event) {
    event.preventDefault();
    const spot = desk.spotAt(event.clientX, event.clientY);
    if (!spot) return;
    desk.point(spot, false);
    desk.menu(event.clientX, event.clientY);
    end();
  }

  element.addEventListener("pointerdown", (event) => {
    if (event.button !== 0 || event.target.closest("button")) return;
    if (event.target.closest(".bar-grip")) {
      event.preventDefault();
      grip = Number(event.target.closest(".desk-bar").dataset.index);
      return;
    }
    const handle = event.target.closest(".caret-handle");
    const spot = handle ? desk.caret() : desk.spotAt(event.clientX, event.clientY);
    if (!spot) return;
    const op = handle ? "stretch" : "paint";
    from = { op, spot, x: event.clientX, y: event.clientY, choosing: event.shiftKey };
    if (event.pointerType !== "mouse") long = setTimeout(() => openMenu(event), LONG_MS);
    if (handle) event.preventDefault();
  });
  document.addEventListener("pointermove", (event) => {
    if (grip !== null) desk.mover.over(event.clientX, event.clientY);
    if (!from) return;
    if (Math.hypot(event.clientX - from.x, event.clientY - from.y) > STILL_PX) clearTimeout(long);
    if (event.pointerType === "touch" && from.op === "paint") return; // a finger scrolls
    const spot = desk.spotAt(event.clientX, event.clientY);
    if (!spot || (from.op === "paint" && !desk.isHit(from.spot))) return;
    const away = spot.bar !== from.spot.bar || spot.place !== from.spot.place;
    if (!to && !away) return;
    if (!to && from.op === "paint") desk.point(from.spot, false);
    to = spot;
    desk.show(from.spot, to);
  });
  document.addEventListener("pointerup", (event) => {
    if (grip !== null) {
      desk.mover.drop(grip, event.clientX, event.clientY);
      end();
    }
    if (!from) return;
    const { op, spot, choosing } = from;
    const least = op === "stretch" ? spot.place : spot.place + 1;
    const behind = to && (to.bar > spot.bar || (to.bar === spot.bar && to.place >= least));
    if (behind) desk.act(op, spot, to);
    else if (to) desk.settle();
    else if (op === "paint") desk.point(spot, choosing);
    end();
  });
  document.addEventListener("pointercancel", end);
  document.addEventListener(
    "keydown",
    (event) => {
      if (grip === null || event.key !== "Escape") return;
      event.stopPropagation();
      end();
    },
    true,
  );
  element.addEventListener("contextmenu", openMenu);
}
