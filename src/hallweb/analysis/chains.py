"""What a chain makes of a hit, rendered once for equal chains, as a picture."""

import json
from functools import lru_cache

from hallweb.songs.sounds import SongSounds, open_responses
from highhall.measure.pictures import Picture, picture_of
from highhall.plan import Plan, Return, document_of, plan_from_document
from highhall.plan.json.chains import effect_document


def chain_picture(sounds: SongSounds, plan: Plan, return_: Return) -> Picture | None:
    """Return a return's picture; see `highhall.measure.pictures.picture_of`.

    Raises
    ------
    CoreError
        If an effect cannot sound, as an impulse of which nothing is left.
    """
    return _picture(_chain_key(return_), _time_key(plan), sounds)


def _chain_key(return_: Return) -> str:
    return json.dumps([effect_document(effect) for effect in return_.chain if not effect.source])


def _time_key(plan: Plan) -> str:
    song = document_of(plan)["song"]
    return json.dumps({**song, "sections": []})


@lru_cache(maxsize=64)
def _picture(chain: str, song: str, sounds: SongSounds) -> Picture | None:
    plan = _alone(chain, song)
    return picture_of(plan.returns[0], plan.song, open_responses(sounds, plan.song.sample_rate))


def _alone(chain: str, song: str) -> Plan:
    alone = {"id": "alone", "chain": json.loads(chain)}
    return plan_from_document({"format": "high-hall-plan", "version": 1, "song": json.loads(song), "returns": [alone]})
