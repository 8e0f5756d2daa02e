"""What looks like a slip in a riff: said at once, and only then."""

import pytest

from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.riff.remarks import remarks_of
from thrumble.demo import riff_texts


@pytest.mark.parametrize(
    ("bar", "words"),
    [
        ("E5 " + "o " * 8, ""),
        ("E5 " + "o " * 12, ""),
        ("E5 (o o o) (o (o o)) ((o o) o) o", ""),
        ("E5 " + "o " * 9, "9 hits don't divide 4/4 evenly"),
        ("E5 " + "o " * 7, "7 hits don't divide 4/4 evenly"),
        ("E5 " + "o " * 64, "27 hits a second at 100 bpm"),
    ],
)
def test_a_bar_with_a_hit_too_many_is_named(bar: str, words: str) -> None:
    text = f"title: T\ntempo: 100\n[A]\n| E5 o o o o |\n| {bar} |\n"
    remarks = remarks_of(expand(parse_riff(text)))
    assert [remark.bar for remark in remarks] == ([2] if words else [])
    assert all(remark.words.startswith(words) for remark in remarks)


def test_the_sample_riffs_have_nothing_odd_and_repeats_are_named_once() -> None:
    assert not any(remarks_of(expand(parse_riff(text))) for text in riff_texts().values())
    odd = "title: T\ntempo: 100\nplay: A A A\n[A]\n| E5 o o o o o |\n"
    assert len(remarks_of(expand(parse_riff(odd)))) == 1
