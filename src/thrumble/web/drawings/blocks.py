"""The shapes of hits as path data: open tapers as it rings, palm has a flat heel, dead is thin, a
stop is a wall.
"""

MIN_PX = 3.0


def block_shape(
    kind: str, x: float, end: float, base: float, height: float, depth: float, *, held: bool = False
) -> str:
    """The block of a hit; negative heights stand up from the base, positive ones hang below it."""
    width = max(MIN_PX, end - x - 1.5)
    if kind == "open":
        flat = 0.0 if held else min(8.0, width * 0.3)
        tail = 0.34
        top = height * (0.62 if held else 1.0)
        return (
            f"M{x:.1f} {base:.1f}v{top:.1f}h{flat:.1f}L{x + width:.1f} "
            f"{base + height * tail:.1f}V{base:.1f}z"
        )
    if kind == "palm":
        body = min(width * 0.62, 11.0)
        tall = height * (0.86 - 0.5 * depth)
        heel = min(width, body + 5.0)
        sill = 4.0 if height > 0 else -4.0
        return (
            f"M{x:.1f} "
            f"{base:.1f}v{tall:.1f}h{body:.1f}V{base + sill:.1f}H{x + heel:.1f}V{base:.1f}z"
        )
    thin = min(7.0, width)
    return f"M{x:.1f} {base:.1f}v{height * 0.62:.1f}h{thin:.1f}V{base:.1f}z"


def stop_wall(x: float, base: float, height: float) -> str:
    """Where a hit must be silent."""
    return f"M{x - 2.2:.1f} {base:.1f}v{height:.1f}h2.6V{base:.1f}z"
