"""The WSGI entrance for gunicorn."""

import os

from django.conf import settings
from django.core.exceptions import ImproperlyConfigured
from django.core.wsgi import get_wsgi_application

from hallweb.server import Places

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "hallweb.settings")
if not settings.HAS_SECRETS:
    raise ImproperlyConfigured(f"{settings.DATA_DIR} has no secrets yet: run bin/setup, or start with bin/demo")
application = Places(get_wsgi_application())
