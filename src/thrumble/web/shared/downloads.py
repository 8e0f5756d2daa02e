"""Names of the files that a player downloads: the riff's, so that a folder of them makes sense."""

from urllib.parse import quote

MAX_LETTERS = 100
FORBIDDEN = set('/\\:*?"<>|')  # in file names of one system or another


def attachment(name: str) -> dict[str, str]:
    """The header that saves an answer under a name: in full for browsers that read it so (RFC 6266,
    `filename*`), in plain letters for others.
    """
    whole = "".join("_" if c in FORBIDDEN or not c.isprintable() else c for c in name)
    whole = whole.strip(" .") or "thrumble"
    plain = "".join(c if c.isascii() else "_" for c in whole)
    return {
        "Content-Disposition": f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(whole)}"
    }


def riff_file_name(title: str, ending: str) -> str:
    """`Sluice Gate.mid`."""
    return title[:MAX_LETTERS] + ending


def take_file_name(title: str, number: int, ending: str) -> str:
    """`Sluice Gate, take 3.csv`."""
    return riff_file_name(title, f", take {number}{ending}")
