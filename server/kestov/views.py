"""The page that holds the front end, and words for a failed forgery check."""

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.csrf import ensure_csrf_cookie


@ensure_csrf_cookie
def front(request: HttpRequest) -> HttpResponse:
    index = settings.DIST / "index.html"
    if not index.exists():
        return HttpResponse("The front end is not built. Run ./kestov start.", status=503, content_type="text/plain")
    response = HttpResponse(index.read_text(encoding="utf-8"))
    response["Cache-Control"] = "no-cache"
    return response


def csrf_failure(request: HttpRequest, reason: str = "") -> JsonResponse:
    body = {
        "type": "about:blank",
        "title": "The page is out of date",
        "status": 403,
        "code": "csrf",
        "detail": "The sign-in of this page has changed. Reload it and try again; nothing was saved twice.",
    }
    return JsonResponse(body, status=403, content_type="application/problem+json")
