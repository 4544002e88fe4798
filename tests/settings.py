"""The application's settings, with a cache of the tests' own process: what a test keeps there is no other's."""

from hallweb.settings import *  # noqa: F403

CACHES = {"default": {"BACKEND": "django.core.cache.backends.locmem.LocMemCache"}}
