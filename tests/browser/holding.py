"""Requests that are late, as on a machine that is busy."""

import re


class Held:
    """Requests whose address has a word, held back until they are let go."""

    def __init__(self, page, word: str) -> None:
        self._routes, self._is_held = [], True
        page.route(re.compile(word), lambda route: self._routes.append(route) if self._is_held else route.continue_())

    def let_go(self) -> None:
        self._is_held = False
        for route in self._routes:
            route.continue_()

    def refuse(self) -> None:
        """Answer them as a server that cannot make the edit."""
        self._is_held = False
        for route in self._routes:
            route.fulfill(status=422, body="")
