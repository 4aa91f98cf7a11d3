from api import api
from django.urls import path, re_path

from .views import front

urlpatterns = [
    path("api/", api.urls),
    # Every other address is a view of the front end.
    re_path(r"^(?!api/|assets/).*$", front),
]
