"""What an operator can read afterwards: who came in, who was refused, what was shared. It goes to the log, and nowhere else."""

import logging

_log = logging.getLogger(__name__)


def tell(event: str, **facts: object) -> None:
    """Write an event with its facts into the log; secrets are no facts."""
    _log.info(event, extra={"facts": facts})
