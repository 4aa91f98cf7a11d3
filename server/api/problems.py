"""Errors that speak: RFC 9457 problem details, with the field and the mend."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from kestov_core.errors import BadInput
from ninja import NinjaAPI
from ninja.errors import ValidationError as NinjaValidation
from people.refusals import Refused

#: A refusal as the API tells it; the apps below raise the same.
Problem = Refused

_TITLES = {
    400: "Cannot be used",
    401: "Signed out",
    403: "Not allowed",
    404: "Not found",
    409: "Not now",
    413: "Too large",
    422: "Cannot be used",
    429: "Too many tries",
}


def problem(status: int, code: str, detail: str, field: str | None = None, **more: Any) -> HttpResponse:
    """The answer for a refusal."""
    body = {
        "type": "about:blank",
        "title": _TITLES.get(status, "Refused"),
        "status": status,
        "code": code,
        "detail": detail,
        "field": field,
        **more,
    }
    return JsonResponse(body, status=status, content_type="application/problem+json")


def install(api: NinjaAPI) -> None:
    """Give the API its words for each kind of refusal."""

    @api.exception_handler(Problem)
    def _problem(request: HttpRequest, e: Problem) -> HttpResponse:
        return problem(e.status, e.code, e.detail, e.field)

    @api.exception_handler(BadInput)
    def _bad_input(request: HttpRequest, e: BadInput) -> HttpResponse:
        return problem(422, e.code, e.message, e.field, row=e.row)

    @api.exception_handler(NinjaValidation)
    def _validation(request: HttpRequest, e: NinjaValidation) -> HttpResponse:
        first = e.errors[0]
        field = ".".join(
            str(p) for p in first.get("loc", ()) if p not in ("body", "query", "path", "form", "payload", "data")
        )
        code = "missing_field" if first.get("type") == "missing" else "out_of_range"
        return problem(422, code, f"{field}: {first.get('msg', 'is not right')}", field or None)

    from django.http import Http404

    @api.exception_handler(Http404)
    def _missing(request: HttpRequest, e: Http404) -> HttpResponse:
        return problem(404, "not_found", "There is nothing at this address; it may have been removed.")

    from ninja.errors import HttpError

    @api.exception_handler(HttpError)
    def _http(request: HttpRequest, e: HttpError) -> HttpResponse:
        if e.status_code == 403:
            return problem(
                403, "csrf", "The sign-in of this page has changed. Reload it and try again; nothing was saved twice."
            )
        return problem(e.status_code, "out_of_range", str(e))
