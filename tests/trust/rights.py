"""What each role may do at each address: the written table that the tests walk and docs/security.md shows.

`python -m tests.trust.rights` writes it into the document.
"""

from dataclasses import dataclass
from pathlib import Path

ANYBODY, ACCOUNT, LISTENER, EDITOR, OWNER, LINK = "anybody", "account", "listener", "editor", "owner", "link"
RANK = {ANYBODY: 0, ACCOUNT: 1, LISTENER: 2, EDITOR: 3, OWNER: 4}
"""From none to all rights. An account without a role in the song is a stranger to it; a link is no step of this ladder."""

DOCUMENT = Path(__file__).parents[2] / "docs" / "security.md"
BEGIN, END = "<!-- rights: made by tests/trust/rights.py -->\n", "<!-- end of rights -->\n"


@dataclass(frozen=True)
class Row:
    """An address by name: from which role on it may be read and written. None: there is no such request."""

    name: str
    read: str | None
    write: str | None


def _rows(app: str, read: str | None, write: str | None, names: str) -> list[Row]:
    return [Row(f"{app}:{name}", read, write) for name in names.split()]


TABLE = [
    *_rows("songs", ACCOUNT, None, "show save-all"),
    *_rows("songs", None, ACCOUNT, "new-demo new-song new-for-stems"),
    *_rows("songs", LISTENER, None, "picture"),
    *_rows("songs", None, EDITOR, "rename duplicate"),
    *_rows("songs", None, OWNER, "delete bring-back delete-now"),
    *_rows("uploads", None, EDITOR, "begin-stem"),
    *_rows("uploads", None, ACCOUNT, "begin-song receive finish drop"),
    *_rows("history", LISTENER, None, "newest stream"),
    *_rows("history", None, EDITOR, "undo redo"),
    *_rows("audition", LISTENER, None, "manifest loudness segment may-hear"),
    *_rows("song", LISTENER, None, "show progress reading details estimate-tempo"),
    *_rows("song", None, EDITOR, "take-stems set-tracks place-tracks remove-tracks replace-stem listen-again"),
    *_rows(
        "song", None, EDITOR, "set-threshold add-group set-group remove-group add-section set-section split-section"
    ),
    *_rows("song", None, EDITOR, "remove-section set-tempo remove-tempo set-meter remove-meter set-end import-map"),
    *_rows("returns", LISTENER, None, "show strip spectrum hit sweep"),
    *_rows(
        "returns",
        None,
        EDITOR,
        "add-return set-return change-return swap-sides place-return group-returns preview-return",
    ),
    *_rows(
        "returns",
        None,
        EDITOR,
        "add-response use-response capture save-preset apply-preset import-preset try-start feed-on",
    ),
    *_rows(
        "returns",
        None,
        EDITOR,
        "remove-preset set-group preview-group add-effect change-effect add-filter remove-filter",
    ),
    *_rows("returns", ACCOUNT, None, "export-preset"),
    *_rows("sends", LISTENER, None, "show wetness"),
    *_rows("sends", None, EDITOR, "set-send set-many-sends"),
    *_rows("moves", LISTENER, None, "show measured-wet"),
    *_rows("moves", None, EDITOR, "change-cells throw-one change-throw move-phrase-end change-points"),
    *_rows("hall", LISTENER, None, "show measured propose"),
    *_rows("hall", None, EDITOR, "apply take set-pan deepen again forget space"),
    *_rows("findings", LISTENER, None, "show count"),
    *_rows("findings", None, EDITOR, "take set-aside bring-back strictness"),
    *_rows("versions", LISTENER, None, "show verdict"),
    *_rows("versions", None, EDITOR, "keep-version open-version take-difference remove-version"),
    *_rows("handoff", LISTENER, None, "hand-off progress sheet sheet-page sheet-file export"),
    *_rows("handoff", EDITOR, None, "download download-all"),
    *_rows("handoff", None, EDITOR, "print cancel remove"),
    *_rows("sharing", LISTENER, None, "show"),
    *_rows("sharing", None, LISTENER, "add-comment"),
    *_rows("sharing", None, EDITOR, "mark-done remove-comment"),
    *_rows("sharing", None, OWNER, "add-person remove-person add-link revoke-link"),
    *_rows("listening", LINK, None, "show sound"),
    *_rows("listening", None, LINK, "add-comment"),
    *_rows("accounts", ANYBODY, None, "join"),
    *_rows("health", ANYBODY, None, "health ready metrics"),
]


def as_markdown() -> str:
    """Return the table as it stands in the document."""
    lines = ["| address | read | write |", "|---|---|---|"]
    lines += [f"| `{row.name}` | {row.read or ''} | {row.write or ''} |" for row in TABLE]
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    before, _, rest = DOCUMENT.read_text().partition(BEGIN)
    DOCUMENT.write_text(before + BEGIN + as_markdown() + END + rest.partition(END)[2])
