"""Groups, tracks, returns and sends."""

from dataclasses import dataclass
from typing import Annotated, Any

from highhall.plan.effect import Effect
from highhall.plan.filter import Filter
from highhall.plan.json.chains import CHAIN
from highhall.plan.json.codecs import ID, PATH, REFERENCE, TEXT, Nullable, Schema
from highhall.plan.json.reader import Node
from highhall.plan.json.records import Member, codec_of, object_schema
from highhall.plan.kinds import KINDS, LEVEL, MUTE, ON, PAN, SEND_POINT, START, WIDTH
from highhall.plan.lookup import by_id

MAIN = "main"


class _ToneCodec:
    """The filters of a group, which stand in an object of their own."""

    _filters = codec_of(KINDS["tone"].parameter("bands"))

    def read(self, node: Node) -> tuple[Filter, ...]:
        """See `Codec`."""
        fields = node.fields(["bands"], [])
        filters: tuple[Filter, ...] = self._filters.read(fields["bands"]) if "bands" in fields else ()
        return filters

    def write(self, value: tuple[Filter, ...]) -> Any:  # noqa: ANN401 - JSON is any value
        """See `Codec`."""
        return {"bands": self._filters.write(value)}

    @property
    def schema(self) -> Schema:
        """See `Codec`."""
        return object_schema({"bands": self._filters.schema}, ["bands"])


@dataclass(frozen=True, slots=True, kw_only=True)
class Group:
    """Tracks that share a fader and a tone; `level_db` None is silence."""

    id: Annotated[str, ID]
    name: Annotated[str, TEXT, Member(same_as="id")]
    level_db: Annotated[float | None, LEVEL] = LEVEL.default
    mute: Annotated[bool, MUTE] = MUTE.default
    tone: Annotated[tuple[Filter, ...], _ToneCodec()] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Track:
    """One stem and its fader; `group` None goes to main."""

    id: Annotated[str, ID]
    name: Annotated[str, TEXT, Member(same_as="id")]
    group: Annotated[str | None, Nullable(REFERENCE)] = None
    stem: Annotated[str, PATH]
    start_s: Annotated[float, START] = START.default
    level_db: Annotated[float | None, LEVEL] = LEVEL.default
    pan: Annotated[float, PAN] = PAN.default
    mute: Annotated[bool, MUTE] = MUTE.default


@dataclass(frozen=True, slots=True, kw_only=True)
class Return:
    """A shared, always wet chain of effects and its fader; `heading` is what stands over it in lists, if anything does."""

    id: Annotated[str, ID]
    name: Annotated[str, TEXT, Member(same_as="id")]
    heading: Annotated[str | None, Nullable(TEXT)] = None
    level_db: Annotated[float | None, LEVEL] = LEVEL.default
    width: Annotated[float, WIDTH] = WIDTH.default
    pan: Annotated[float, PAN] = PAN.default
    mute: Annotated[bool, MUTE] = MUTE.default
    output: Annotated[str, REFERENCE, Member(label="Goes to")] = MAIN
    chain: Annotated[tuple[Effect, ...], CHAIN] = ()

    def effect(self, effect_id: str) -> Effect:
        """Return the effect with that id; KeyError if there is none."""
        return by_id(self.chain, effect_id)

    @property
    def is_wet(self) -> bool:
        """Whether an effect is on that keeps the dry sound from leaving; without one it is silent."""
        return any(effect.on and effect.table.makes_wet for effect in self.chain)


@dataclass(frozen=True, slots=True, kw_only=True)
class Send:
    """How much of `source` (track, group or return) feeds the return `target`."""

    source: Annotated[str, REFERENCE, Member(key="from")]
    target: Annotated[str, REFERENCE, Member(key="to")]
    level_db: Annotated[float | None, LEVEL] = LEVEL.default
    send_point: Annotated[str, SEND_POINT, Member(key="tap")] = SEND_POINT.default
    pan: Annotated[float, PAN] = PAN.default
    on: Annotated[bool, ON] = ON.default
