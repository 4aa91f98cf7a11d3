"""The page that holds the front end, and words for what is answered outside a route."""

import os
import sys

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import ensure_csrf_cookie


@ensure_csrf_cookie
def front(request: HttpRequest) -> HttpResponse:
    """The page of the front end, with what it will ask for first named ahead, so that nothing waits for the script."""
    index = settings.DIST / "index.html"
    if not index.exists():
        return HttpResponse("The front end is not built. Run ./kestov start.", status=503, content_type="text/plain")
    ahead = [_FONT.format(f.name) for f in sorted((settings.DIST / "assets").glob("*-next-latin-wght-*.woff2"))]
    if settings.SESSION_COOKIE_NAME in request.COOKIES:
        ahead.append(_ASKED.format("/api/session"))
        if request.path == "/" and not settings.PRACTICE:
            ahead.append(_ASKED.format("/api/floor"))
    page = index.read_text(encoding="utf-8").replace("</head>", "".join(ahead) + "</head>", 1)
    if settings.PRACTICE:
        # Before anything is drawn: another paper, other cookies.
        page = page.replace("<html ", "<html data-practice ", 1)
    response = HttpResponse(page)
    response["Cache-Control"] = "no-cache"
    return response


_FONT = '<link rel="preload" as="font" type="font/woff2" href="/assets/{}" crossorigin>'
_ASKED = '<link rel="preload" as="fetch" href="{}" crossorigin>'


def authority(request: HttpRequest) -> HttpResponse:
    """The workshop authority's certificate, for a device that is to trust this machine."""
    file = os.environ.get("KESTOV_AUTHORITY")
    if not file or not os.path.exists(file):
        return HttpResponse("This workshop has no authority of its own.", status=404, content_type="text/plain")
    with open(file, "rb") as f:
        return HttpResponse(f.read(), content_type="application/x-x509-ca-cert")


def failed(request: HttpRequest) -> HttpResponse:
    """What failed outside a route: told as the API tells it, and to who asked for a page as a page."""
    from api import problems

    answer = problems.failed(request, sys.exc_info()[1])
    if request.path.startswith("/api/"):
        return answer
    page = HttpResponse(_AWAY, status=answer.status_code)
    if "Retry-After" in answer:
        page["Retry-After"] = answer["Retry-After"]
    return page


def refused(request: HttpRequest, exception: Exception) -> HttpResponse:
    """What cannot even be read as a request: a host that is not ours, a form without end."""
    from api import problems

    return problems.problem(
        400, "out_of_range", "This request cannot be used: its host, its form or its names are not right."
    )


def missing(request: HttpRequest, exception: Exception) -> HttpResponse:
    """An address that is none."""
    from api import problems

    return problems.problem(404, "not_found", "There is nothing at this address; it may have been removed.")


_AWAY = """<!doctype html><html lang="en"><meta charset="utf-8"><meta http-equiv="refresh" content="5">
<title>Away · Kestov</title><body style="font:20px sans-serif;max-width:32em;margin:3em auto;padding:0 1em">
<h1>Kestov is away for a moment</h1><p>What was entered is kept. This page looks again every five seconds.</p></body></html>"""


def locked(request: HttpRequest, *args: object, **kwargs: object) -> HttpResponse:
    """Who tried too often."""
    from api import problems

    words = (
        "Too many wrong tries, of this name or from this address. Wait five minutes, or sign in where you have before."
    )
    return problems.problem(429, "locked", words, "password")


def csrf_failure(request: HttpRequest, reason: str = "") -> HttpResponse:
    """A write without the token of our own pages."""
    from api import problems

    words = "The sign-in of this page has changed. Reload it and try again; nothing was saved twice."
    return problems.problem(403, "csrf", words)
