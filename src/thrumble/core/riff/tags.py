"""Tags: a player's own words to find riffs by."""

from thrumble.core.errors import BadInput

MAX_TAGS, LONGEST = 12, 24


def read_tags(text: str) -> tuple[str, ...]:
    """The tags of a line, parted by commas: small letters, each once, in order. Raises BadInput for
    too many or too long ones.
    """
    words = [" ".join(word.split()).lower() for word in text.split(",")]
    tags = tuple(dict.fromkeys(word for word in words if word))
    if len(tags) > MAX_TAGS:
        raise BadInput(f"a riff has at most {MAX_TAGS} tags; these are {len(tags)}")
    for tag in tags:
        if len(tag) > LONGEST or not tag.isprintable():
            raise BadInput(f"a tag has at most {LONGEST} letters; found {tag[:40]!r}")
    return tags
