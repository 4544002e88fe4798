"""The keys, by screen: what the key sheet lists."""

from dataclasses import dataclass

Keys = tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class KeyGroup:
    """The keys of a screen, `view`, or those that work everywhere: pairs of keys and what they do."""

    view: str
    title: str
    keys: Keys


KEY_GROUPS = (
    KeyGroup(
        "",
        "Everywhere",
        (
            ("Space", "play, stop; everywhere but in text fields"),
            ("Home", "to the section's start"),
            ("Ctrl Left, Right", "to the section before, after"),
            ("L", "loop the section; on the song strip drag with Shift to loop whole bars"),
            ("F D R", "full mix, dry, returns only"),
            ("N", "mono: both sides as one"),
            ("T", "tail check: sources stop, returns ring on; when stopped, play up to it again"),
            ("X", "sends off: the dry sound plays on; again, they are on"),
            ("Backspace", "the last 4 seconds again"),
            ("A B", "hear what is there now, or the version it is compared with"),
            ("V", "versions"),
            ("1 to 7", "Song, Returns, Sends, Moves, Hall, Findings, Hand-off"),
            ("Ctrl Z", "undo; with Shift redo"),
            ("Enter, Esc", "take what is typed, let go of it; Enter presses the button or box under focus"),
            ("Up, Down", "step the field that has focus; with Shift finer, with Alt or by page coarser"),
            ("Ctrl Delete", "reset the field that has focus; a double-click on its name does too"),
            (
                "Drag sideways",
                "the figure of a level or pan: it steps, and is heard as it does; with Shift finer, with Alt coarser; Esc lets "
                "it go unchanged",
            ),
            ("?", "this sheet"),
        ),
    ),
    KeyGroup(
        "song",
        "Song",
        (
            ("M S", "track under focus: mute it, hear it alone with what it feeds"),
            ("Alt Up, Down", "move the track, or all that are chosen"),
            ("Left, Right", "from section to section; with Alt move its end, with Alt Shift its start"),
            ("Enter, Delete", "hold the section under focus, remove it"),
        ),
    ),
    KeyGroup(
        "returns",
        "Returns",
        (
            ("Arrows, Delete", "handle of a picture under focus: step it, reset it; Enter types its value"),
            ("Drag, Alt, Esc", "a drag is led to note values; with Alt free; Esc lets it go unchanged"),
            ("Drag the glyph", "to another place in the list"),
            ("C", "hear the open return without its tone, and with it again"),
        ),
    ),
    KeyGroup(
        "sends",
        "Sends",
        (
            ("Arrows, Shift", "move among sends; with Shift choose them"),
            ("Enter", "type the level of the send under focus"),
            ("Shift Enter", "choose the send under focus and type its pan"),
            ("O P", "send under focus: on or off, pre or post"),
            ("[ ] U Delete", "chosen sends: nudge by 0.5 dB, with Shift by 0.1; unity; clear"),
            ("Ctrl C, Ctrl V", "copy levels of the chosen sends, paste them from the cell under focus on"),
            ("E", "from a send to its return, and back"),
        ),
    ),
    KeyGroup(
        "moves",
        "Moves",
        (
            ("Arrows, Shift", "move among values; with Shift choose them"),
            ("Enter", "type the value under focus"),
            ("[ ] Delete", "chosen values: nudge by 0.5 dB, with Shift by 0.1; clear"),
            ("Ctrl C, Ctrl V", "copy the chosen values, paste them from the one under focus on"),
            ("Left, Right", "ramp under focus: step it by note values, left before the section, right after its start"),
            ("Up, Down", "ramp under focus: bend it, up to come earlier"),
            ("W", "from a value to the ends of its phrases; arrows go on, Enter throws the last word, Esc goes back"),
            ("Alt Left, Right", "end of a phrase under focus: put it earlier or later; a double-click puts it back"),
            (". ,", "next and previous throw; Enter types, Delete removes it"),
            ("Alt click", "a point, on the next eighth; Delete removes the one under focus"),
        ),
    ),
    KeyGroup(
        "hall",
        "Hall",
        (
            ("Up, Down", "from source to source in the table of places"),
            ("Enter", "choose the source; in Asked, take the metres that were typed"),
            ("Left, Right", "source under focus in the table: asked 5 % nearer or farther"),
            ("Up, Down", "roof under focus: the section 5 % deeper or nearer"),
            ("1 2 3 0", "proposing, on an instrument's place: front, middle, back, dry"),
            ("Esc", "discard what is asked"),
        ),
    ),
    KeyGroup(
        "findings",
        "Findings",
        (
            ("Up, Down", "from finding to finding"),
            ("Enter", "open the finding under focus, or close it"),
            ("G", "go there: loop the bars around its place"),
            ("S", "hear its source or its return alone"),
            ("H", "hear what is there, then what is proposed"),
            ("Y", "take what is proposed"),
            ("X", "set it aside, for the reason that is chosen"),
            (". ,", "next and previous place"),
            ("Esc", "close the finding"),
        ),
    ),
    KeyGroup(
        "hand-off",
        "Hand-off",
        (
            ("Space", "part under focus: print it or not"),
            ("Page Up, Page Down", "turn the leaves of the sheet"),
        ),
    ),
)
