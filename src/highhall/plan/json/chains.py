"""A return's chain of effects in JSON: what an effect's parameters may be depends on its kind."""

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Any

from highhall.plan.json.codecs import FLAG, ID, Schema, ref
from highhall.plan.json.reader import Node
from highhall.plan.json.records import codec_of, object_schema
from highhall.plan.kinds import KINDS, Kind
from highhall.plan.step import Params, Step

MAXIMUM_STEPS = 16


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

    def read(self, node: Node) -> tuple[Step, ...]:
        """See `Codec`."""
        taken: set[str] = set()
        steps: list[Step] = []
        for item in node.items(0, MAXIMUM_STEPS):
            fields = item.fields(["kind"], ["id", "on", "params"])
            if "kind" in fields:
                steps.append(self._step(item, fields, taken))
                taken.add(steps[-1].id)
        return tuple(steps)

    def _step(self, item: Node, fields: Mapping[str, Node], taken: set[str]) -> Step:
        kind = fields["kind"].choice(KINDS)
        step_id = ID.read(fields["id"]) if "id" in fields else free_id(kind, taken)
        if step_id in taken:
            fields["id"].refuse(f'the step id "{step_id}" is taken in this return')
        return Step(
            id=step_id,
            kind=kind,
            on=FLAG.read(fields["on"]) if "on" in fields else True,
            params=read_params(kind, fields["params"] if "params" in fields else item.member("params", {})),
        )

    def write(self, value: Sequence[Step]) -> Any:  # noqa: ANN401 - JSON is any value
        """See `Codec`."""
        return [step_document(step) for step in value]

    @property
    def schema(self) -> Schema:
        """See `Codec`."""
        return {"type": "array", "items": {"oneOf": [_schema(k) for k in KINDS.values()]}, "maxItems": MAXIMUM_STEPS}


def step_document(step: Step) -> dict[str, Any]:
    """Return one effect as it stands in a chain."""
    return {"id": step.id, "kind": step.kind, "on": step.on, "params": params_document(step.kind, step.params)}


def _schema(kind: Kind) -> Schema:
    required = [parameter.name for parameter in kind.parameters if parameter.is_required]
    params = object_schema({name: codec_of(parameter).schema for name, parameter in kind.by_name.items()}, required)
    step = object_schema(
        {"id": ref("id"), "kind": {"const": kind.name}, "on": FLAG.schema, "params": params},
        ["kind", "params"] if required else ["kind"],
    )
    return {"description": kind.meaning, **step}


CHAIN = ChainCodec()
