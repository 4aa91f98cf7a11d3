from api import api
from django.urls import path, re_path

from .views import authority, front

handler400 = "kestov.views.refused"
handler404 = "kestov.views.missing"
handler500 = "kestov.views.failed"
urlpatterns = [
    path("api/", api.urls),
    path("authority.crt", authority),
    # Every other address is a view of the front end.
    re_path(r"^(?!api/|assets/).*$", front),
]
