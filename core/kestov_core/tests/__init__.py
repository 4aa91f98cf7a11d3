"""The core's tests. No property hangs on how quick the machine is."""

from hypothesis import settings

settings.register_profile("house", deadline=None)
settings.load_profile("house")
