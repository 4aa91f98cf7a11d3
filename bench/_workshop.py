"""Makes the small workshop that `_running` serves: two machines, a hundred people, all with one password."""

import os
import sys
from pathlib import Path

# Before this folder, in which a bench may be called like a part of the server.
sys.path[:0] = [str(Path(__file__).resolve().parent.parent / part) for part in ("server", "core")]
os.environ |= {"KESTOV_POOL": "0", "KESTOV_HOSTS": "testserver"}
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kestov.settings")

import django  # noqa: E402

django.setup()

from api.tests.world import PASSWORD, ApiCase  # noqa: E402
from django.contrib.auth.hashers import make_password  # noqa: E402
from django.core.management import call_command  # noqa: E402
from people.models import Role, User  # noqa: E402

call_command("migrate", verbosity=0)
ApiCase.setUpTestData()
hashed = make_password(PASSWORD)
User.objects.bulk_create(
    User(username=f"person{i}", name=f"Person {i}", role=Role.TECHNICIAN, password=hashed) for i in range(100)
)
case = ApiCase("run")
case.setUp()
for _ in range(5):
    case.report()
