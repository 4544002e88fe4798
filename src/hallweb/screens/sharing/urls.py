"""The Share screen."""

from django.urls import path

from hallweb.screens.sharing import views

app_name = "sharing"
urlpatterns = [
    path("songs/<int:song_id>/sharing/", views.show, name="show"),
    path("songs/<int:song_id>/sharing/people/", views.add_person, name="add-person"),
    path("songs/<int:song_id>/sharing/people/<int:member_id>/remove/", views.remove_person, name="remove-person"),
    path("songs/<int:song_id>/sharing/links/", views.add_link, name="add-link"),
    path("songs/<int:song_id>/sharing/links/<int:link_id>/revoke/", views.revoke_link, name="revoke-link"),
    path("songs/<int:song_id>/sharing/comments/", views.add_comment, name="add-comment"),
    path("songs/<int:song_id>/sharing/comments/<int:comment_id>/done/", views.mark_done, name="mark-done"),
    path("songs/<int:song_id>/sharing/comments/<int:comment_id>/remove/", views.remove_comment, name="remove-comment"),
]
