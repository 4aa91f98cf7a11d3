"""The entry that the web server loads: the application behind its door."""

import gc
import os
import sys
from pathlib import Path

_server = Path(__file__).resolve().parent.parent
for folder in (_server, _server.parent / "core"):
    if str(folder) not in sys.path:
        sys.path.insert(0, str(folder))
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kestov.settings")

from .ending import end_with_parent  # noqa: E402

# Before anything else: a worker whose main is gone keeps nobody's port.
end_with_parent()

from django.core.wsgi import get_wsgi_application  # noqa: E402

inner = get_wsgi_application()

from django.conf import settings  # noqa: E402
from people.telling import CHANNEL  # noqa: E402

from .bridge import Bridge  # noqa: E402
from .door import Door, Limits  # noqa: E402
from .events import Events, Wire  # noqa: E402
from .known import is_signed_in  # noqa: E402

limits = Limits()
application = Door(
    Bridge(inner, limits.at_work + sum(limits.slow.values())),
    is_signed_in,
    settings.SESSION_COOKIE_NAME,
    limits,
    {"/api/events": Events(Wire(settings.DATABASE_URL, CHANNEL), is_signed_in)},
    settings.PROXIES,
)

# What is loaded stays for good: it need not be walked through for garbage again and again while somebody waits.
gc.collect()
gc.freeze()
