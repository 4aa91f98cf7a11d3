from api import api
from django.urls import path, re_path

from .views import authority, front

urlpatterns = [
    path("api/", api.urls),
    path("authority.crt", authority),
    # Every other address is a view of the front end.
    re_path(r"^(?!api/|assets/).*$", front),
]
