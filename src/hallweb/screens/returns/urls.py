"""The Returns screen."""

from django.urls import path

from hallweb.screens.returns.views import chains, filters, presets, responses, returns, routing, spectra

app_name = "returns"
urlpatterns = [
    path("songs/<int:song_id>/returns/", returns.show, name="show"),
    path("songs/<int:song_id>/returns/add/", returns.add, name="add-return"),
    path("songs/<int:song_id>/returns/<slug:key>/set/", returns.set_value, name="set-return"),
    path("songs/<int:song_id>/returns/<slug:key>/change/", returns.change, name="change-return"),
    path("songs/<int:song_id>/returns/<slug:key>/strip/", returns.strip, name="strip"),
    path("songs/<int:song_id>/returns/<slug:key>/preview/", returns.preview, name="preview-return"),
    path("songs/<int:song_id>/returns/<slug:key>/swap/", returns.swap, name="swap-sides"),
    path("songs/<int:song_id>/returns/<slug:key>/try/", presets.try_start, name="try-start"),
    path("songs/<int:song_id>/returns/<slug:key>/feed-on/", routing.feed_on, name="feed-on"),
    path("songs/<int:song_id>/returns/<slug:key>/spectrum/", spectra.spectrum, name="spectrum"),
    path("songs/<int:song_id>/returns/<slug:key>/hit/", spectra.hit, name="hit"),
    path("songs/<int:song_id>/returns/<slug:key>/place/", returns.place, name="place-return"),
    path("songs/<int:song_id>/returns/group/", filters.add_group, name="group-returns"),
    path("songs/<int:song_id>/responses/add/", responses.add, name="add-response"),
    path("songs/<int:song_id>/responses/use/", responses.use, name="use-response"),
    path("songs/<int:song_id>/responses/sweep/", responses.sweep, name="sweep"),
    path("songs/<int:song_id>/responses/capture/", responses.capture_room, name="capture"),
    path("songs/<int:song_id>/presets/save/", presets.save, name="save-preset"),
    path("songs/<int:song_id>/presets/apply/", presets.apply, name="apply-preset"),
    path("songs/<int:song_id>/presets/import/", presets.import_, name="import-preset"),
    path("songs/<int:song_id>/presets/<int:preset_id>/remove/", presets.remove, name="remove-preset"),
    path("presets/<int:preset_id>.json", presets.export, name="export-preset"),
    path("songs/<int:song_id>/groups/<slug:key>/strip/", filters.set_group_value, name="set-group"),
    path("songs/<int:song_id>/groups/<slug:key>/tone/preview/", filters.preview_group, name="preview-group"),
    path("songs/<int:song_id>/returns/<slug:key>/effects/", chains.add, name="add-effect"),
    path("songs/<int:song_id>/returns/<slug:key>/effects/change/", chains.change, name="change-effect"),
    path("songs/<int:song_id>/filters/<slug:key>/add/", filters.add, name="add-filter"),
    path("songs/<int:song_id>/filters/<slug:key>/remove/", filters.remove, name="remove-filter"),
]
