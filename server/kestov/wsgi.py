"""The entry that the web server loads."""

import gc
import os
import sys
from pathlib import Path

_server = Path(__file__).resolve().parent.parent
for folder in (_server, _server.parent / "core"):
    if str(folder) not in sys.path:
        sys.path.insert(0, str(folder))
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kestov.settings")

from django.core.wsgi import get_wsgi_application  # noqa: E402

application = get_wsgi_application()

# What is loaded stays for good: it need not be walked through for garbage again and again while somebody waits.
gc.collect()
gc.freeze()
