"""Errors that speak: RFC 9457 problem details, with the field and the mend."""

from __future__ import annotations

import logging
from typing import Any

from django.db import DataError, IntegrityError, InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.http.multipartparser import MultiPartParserError
from kestov_core.errors import BadInput
from kestov_core.procedures import said
from ninja import NinjaAPI
from ninja.errors import ValidationError as NinjaValidation
from people import asked
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
    500: "Not managed",
    503: "Away",
}
#: When to come again while the database is away (s).
AGAIN_S = 5

logger = logging.getLogger("kestov.failed")


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


def away() -> HttpResponse:
    """The answer while the database cannot be reached."""
    answer = problem(
        503, "away", "The workshop's record is away for a moment. What you entered is kept; it is tried again."
    )
    answer["Retry-After"] = str(AGAIN_S)
    return answer


def failed(request: HttpRequest, e: BaseException | None) -> HttpResponse:
    """The answer for what nobody foresaw: with an id that stands in the log beside what happened."""
    if isinstance(e, OperationalError | InterfaceError):
        logger.warning("%s %s: the database is away: %s", request.method, request.path, str(e).splitlines()[:1])
        return away()
    id_ = asked.current()
    logger.error("%s %s failed, id %s", request.method, request.path, id_, exc_info=e)
    return problem(
        500, "failed", f"The server did not manage that. Try again; if it stays, tell the lead: {id_}.", id=id_
    )


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
        return problem(422, code, f"{field}: {said(first)}.", field or None)

    from django.http import Http404

    @api.exception_handler(Http404)
    def _missing(request: HttpRequest, e: Http404) -> HttpResponse:
        return problem(404, "not_found", "There is nothing at this address; it may have been removed.")

    from ninja.errors import HttpError

    @api.exception_handler(MultiPartParserError)
    def _form(request: HttpRequest, e: MultiPartParserError) -> HttpResponse:
        return problem(422, "out_of_range", "This form cannot be read: a name in it is too long, or it was cut off.")

    @api.exception_handler(DataError)
    def _data(request: HttpRequest, e: DataError) -> HttpResponse:
        return problem(422, "out_of_range", "One of these figures or words is larger than any that is kept.")

    @api.exception_handler(IntegrityError)
    def _integrity(request: HttpRequest, e: IntegrityError) -> HttpResponse:
        logger.warning("%s %s: %s", request.method, request.path, str(e).splitlines()[:1])
        return problem(409, "twice_at_once", "Somebody has just changed the same. Look again, then try again.")

    @api.exception_handler(Exception)
    def _failed(request: HttpRequest, e: Exception) -> HttpResponse:
        return failed(request, e)

    @api.exception_handler(HttpError)
    def _http(request: HttpRequest, e: HttpError) -> HttpResponse:
        if isinstance(e.__cause__, Problem):
            # What the parser says of a body; the framework has its own words for all of them.
            return _problem(request, e.__cause__)
        if e.status_code == 403:
            return problem(
                403, "csrf", "The sign-in of this page has changed. Reload it and try again; nothing was saved twice."
            )
        return problem(e.status_code, "out_of_range", str(e))
