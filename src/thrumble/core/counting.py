"""Things counted in words."""


def counted(count: float, singular: str, more: str | None = None) -> str:
    """`1 hit`, `2 hits`; `more` if the plural is not the singular with an s."""
    number = round(count)
    return f"{number:,} {singular if number == 1 else more or singular + 's'}"


def days_ago(days: int) -> str:
    """`today`, `yesterday`, `3 days ago`."""
    near = {0: "today", 1: "yesterday"}
    return near.get(days, f"{days} days ago")
