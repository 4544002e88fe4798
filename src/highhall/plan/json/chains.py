"""A return's chain of effects in JSON: what an effect's parameters may be depends on its kind."""

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Any

from highhall.plan.effect import Effect, Params
from highhall.plan.json.codecs import FLAG, ID, Schema, ref
from highhall.plan.json.reader import Node
from highhall.plan.json.records import codec_of, object_schema
from highhall.plan.kinds import KINDS, Kind

MAXIMUM_EFFECTS = 16


def free_id(wanted: str, taken: set[str]) -> str:
    """Return `wanted`, or `wanted-2`, `wanted-3` ... if that is taken."""
    candidate, count = wanted, 1
    while candidate in taken:
        count += 1
        candidate = f"{wanted}-{count}"
    return candidate


def read_params(kind: str, node: Node) -> Params:
    """Read the parameters of an effect of a kind; faults are noted in the node."""
    table = KINDS[kind].by_name
    required = [name for name, parameter in table.items() if parameter.is_required]
    fields = node.fields(required, [name for name in table if name not in required])
    return MappingProxyType({name: codec_of(table[name]).read(value) for name, value in fields.items()})


def params_document(kind: str, params: Params) -> dict[str, Any]:
    """Return parameters of an effect of a kind as JSON."""
    table = KINDS[kind].by_name
    return {name: codec_of(table[name]).write(value) for name, value in params.items()}


class ChainCodec:
    """The codec of a chain; an effect without an id has its kind for one."""

    def read(self, node: Node) -> tuple[Effect, ...]:
        """See `Codec`."""
        taken: set[str] = set()
        effects: list[Effect] = []
        for item in node.items(0, MAXIMUM_EFFECTS):
            fields = item.fields(["kind"], ["id", "on", "params"])
            if "kind" in fields:
                effects.append(self._effect(item, fields, taken))
                taken.add(effects[-1].id)
        return tuple(effects)

    def _effect(self, item: Node, fields: Mapping[str, Node], taken: set[str]) -> Effect:
        kind = fields["kind"].choice(KINDS)
        effect_id = ID.read(fields["id"]) if "id" in fields else free_id(kind, taken)
        if effect_id in taken:
            fields["id"].refuse(f'the effect id "{effect_id}" is taken in this return')
        return Effect(
            id=effect_id,
            kind=kind,
            on=FLAG.read(fields["on"]) if "on" in fields else True,
            params=read_params(kind, fields["params"] if "params" in fields else item.member("params", {})),
        )

    def write(self, value: Sequence[Effect]) -> Any:  # noqa: ANN401 - JSON is any value
        """See `Codec`."""
        return [effect_document(effect) for effect in value]

    @property
    def schema(self) -> Schema:
        """See `Codec`."""
        return {"type": "array", "items": {"oneOf": [_schema(k) for k in KINDS.values()]}, "maxItems": MAXIMUM_EFFECTS}


def effect_document(effect: Effect) -> dict[str, Any]:
    """Return one effect as it stands in a chain."""
    return {
        "id": effect.id,
        "kind": effect.kind,
        "on": effect.on,
        "params": params_document(effect.kind, effect.params),
    }


def _schema(kind: Kind) -> Schema:
    required = [parameter.name for parameter in kind.parameters if parameter.is_required]
    params = object_schema({name: codec_of(parameter).schema for name, parameter in kind.by_name.items()}, required)
    effect = object_schema(
        {"id": ref("id"), "kind": {"const": kind.name}, "on": FLAG.schema, "params": params},
        ["kind", "params"] if required else ["kind"],
    )
    return {"description": kind.meaning, **effect}


CHAIN = ChainCodec()
