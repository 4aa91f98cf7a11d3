"""The page that holds the front end, and words for a failed forgery check."""

import os

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse
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
        if request.path == "/":
            ahead.append(_ASKED.format("/api/floor"))
    page = index.read_text(encoding="utf-8").replace("</head>", "".join(ahead) + "</head>", 1)
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


def locked(request: HttpRequest, *args: object, **kwargs: object) -> JsonResponse:
    body = {
        "type": "about:blank",
        "title": "Too many tries",
        "status": 429,
        "code": "locked",
        "detail": "Too many wrong tries. Wait a quarter of an hour, or ask the lead.",
        "field": "password",
    }
    return JsonResponse(body, status=429, content_type="application/problem+json")


def csrf_failure(request: HttpRequest, reason: str = "") -> JsonResponse:
    body = {
        "type": "about:blank",
        "title": "The page is out of date",
        "status": 403,
        "code": "csrf",
        "detail": "The sign-in of this page has changed. Reload it and try again; nothing was saved twice.",
    }
    return JsonResponse(body, status=403, content_type="application/problem+json")
