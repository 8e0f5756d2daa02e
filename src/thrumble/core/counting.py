"""Things counted in words."""


def counted(count: float, one: str, more: str | None = None) -> str:
    """`1 hit`, `2 hits`; `more` where the plural is not the singular with an s."""
    number = round(count)
    return f"{number:,} {one if number == 1 else more or one + 's'}"
