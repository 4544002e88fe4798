"""What a move moves, in JSON."""

from typing import Any

from highhall.plan.json.codecs import REFERENCE, WORD, ListOf, Schema
from highhall.plan.json.reader import Node
from highhall.plan.json.records import object_schema
from highhall.plan.targets import EffectTarget, ReturnTarget, SendTarget, Target

_PAIR = ListOf(REFERENCE, 2, 2)


class TargetCodec:
    """The codec of a target: its members tell which kind it is."""

    def read(self, node: Node) -> Target:
        """See `Codec`."""
        is_send = isinstance(node.value, dict) and "send" in node.value
        fields = node.fields(["send", "param"], []) if is_send else node.fields(["return", "param"], ["step"])
        param = WORD.read(fields["param"]) if "param" in fields else ""
        if is_send:
            source, target, *_ = (*_PAIR.read(fields["send"]), "", "")
            return SendTarget(source=source, target=target, param=param)
        target = REFERENCE.read(fields["return"]) if "return" in fields else ""
        if "step" in fields:
            return EffectTarget(target=target, effect=REFERENCE.read(fields["step"]), param=param)
        return ReturnTarget(target=target, param=param)

    def write(self, value: Target) -> Any:  # noqa: ANN401 - JSON is any value
        """See `Codec`."""
        match value:
            case SendTarget():
                return {"send": [value.source, value.target], "param": value.param}
            case ReturnTarget():
                return {"return": value.target, "param": value.param}
            case EffectTarget():
                return {"return": value.target, "step": value.effect, "param": value.param}

    @property
    def schema(self) -> Schema:
        """See `Codec`."""
        send = object_schema({"send": _PAIR.schema, "param": WORD.schema}, ["send", "param"])
        members = {"return": REFERENCE.schema, "step": REFERENCE.schema, "param": WORD.schema}
        return {"oneOf": [send, object_schema(members, ["return", "param"])]}


TARGET = TargetCodec()
