"""The Returns screen."""

from django.urls import path

from hallweb.screens.returns.views import bands, chains, responses, returns, reuse, routing, spectra

app_name = "returns"
urlpatterns = [
    path("songs/<int:song_id>/returns/", returns.show, name="show"),
    path("songs/<int:song_id>/returns/add/", returns.add, name="add-return"),
    path("songs/<int:song_id>/returns/<slug:key>/set/", returns.set_value, name="set-return"),
    path("songs/<int:song_id>/returns/<slug:key>/change/", returns.change, name="change-return"),
    path("songs/<int:song_id>/returns/<slug:key>/band/", returns.band, name="band"),
    path("songs/<int:song_id>/returns/<slug:key>/preview/", returns.preview, name="preview-return"),
    path("songs/<int:song_id>/returns/<slug:key>/swap/", returns.swap, name="swap-sides"),
    path("songs/<int:song_id>/returns/<slug:key>/try/", reuse.try_start, name="try-start"),
    path("songs/<int:song_id>/returns/<slug:key>/feed-on/", routing.feed_on, name="feed-on"),
    path("songs/<int:song_id>/returns/<slug:key>/spectrum/", spectra.spectrum, name="spectrum"),
    path("songs/<int:song_id>/returns/<slug:key>/hit/", spectra.hit, name="hit"),
    path("songs/<int:song_id>/responses/add/", responses.add, name="add-response"),
    path("songs/<int:song_id>/sets/keep/", reuse.keep, name="keep-set"),
    path("songs/<int:song_id>/sets/take/", reuse.take, name="take-set"),
    path("songs/<int:song_id>/sets/bring-in/", reuse.bring_in, name="bring-in-set"),
    path("songs/<int:song_id>/sets/<int:kept_id>/remove/", reuse.remove, name="remove-set"),
    path("sets/<int:kept_id>.json", reuse.send_out, name="send-out-set"),
    path("songs/<int:song_id>/groups/<slug:key>/tone/", bands.set_group_value, name="set-group-tone"),
    path("songs/<int:song_id>/groups/<slug:key>/tone/preview/", bands.preview_group, name="preview-group"),
    path("songs/<int:song_id>/returns/<slug:key>/steps/", chains.add, name="add-step"),
    path("songs/<int:song_id>/returns/<slug:key>/steps/change/", chains.change, name="change-step"),
    path("songs/<int:song_id>/bands/<slug:key>/add/", bands.add, name="add-band"),
    path("songs/<int:song_id>/bands/<slug:key>/remove/", bands.remove, name="remove-band"),
]
