"""The HTTP API: routers by noun, thin. Described by OpenAPI at ``/api/openapi.json``, readable at ``/api/docs``."""

from typing import Any

from django.http import HttpRequest
from ninja import NinjaAPI
from ninja.renderers import JSONRenderer
from pydantic_core import to_json

from . import problems


class _Renderer(JSONRenderer):
    """Answers as JSON, as pydantic writes it."""

    def render(self, request: HttpRequest, data: Any, *, response_status: int) -> bytes:
        return to_json(data)


def _build() -> NinjaAPI:
    from . import (
        alone,
        archive,
        bench,
        captures,
        cases,
        components,
        describing,
        doubts,
        figures,
        fleet,
        floor,
        forecast,
        instruments,
        knowledge,
        ledger,
        near_misses,
        openly,
        own_parts,
        papers,
        parts,
        planning,
        practice,
        readings,
        resonance,
        service,
        session,
        stores,
        tables,
        tasks,
        trends,
        use,
        walls,
        work,
        workshop,
        worth,
    )
    from .parsing import StrictParser

    api = NinjaAPI(
        title="Kestov",
        version="1",
        description="The same models as the computing core. Errors are RFC 9457 problem details. "
        "Writes take an Idempotency-Key header: a repeat gets the same answer and does nothing twice.",
        docs_url=None,
        urls_namespace="api",
        parser=StrictParser(),
        renderer=_Renderer(),
    )
    problems.install(api)
    for module in (
        session,
        floor,
        knowledge,
        doubts,
        cases,
        bench,
        readings,
        parts,
        own_parts,
        papers,
        instruments,
        tables,
        resonance,
        walls,
        components,
        use,
        service,
        tasks,
        planning,
        stores,
        worth,
        practice,
        alone,
        archive,
        near_misses,
        openly,
        trends,
        figures,
        fleet,
        forecast,
        ledger,
        captures,
        workshop,
        work,
        describing,
    ):
        api.add_router("", module.router)
    _name_roles(api)
    return api


def _name_roles(api: NinjaAPI) -> None:
    """Say in the description which role each route asks for, as ``x-role``."""
    for _, router in api._routers:
        for view in router.path_operations.values():
            for operation in view.operations:
                role = next((a.role for a in operation.auth_callbacks or [] if hasattr(a, "role")), None)
                operation.openapi_extra = {
                    **(operation.openapi_extra or {}),
                    "x-role": role.value if role else "nothing",
                }


_api = None


def __getattr__(name: str):
    # Built when the URLs are first asked for: the routers need Django's apps to be ready.
    global _api
    if name == "api":
        if _api is None:
            _api = _build()
        return _api
    raise AttributeError(name)
