"""Songs for an operator: whose, how large, deleted or not. Plans are edited nowhere but on the screens."""

from django.contrib import admin
from django.db.models import QuerySet, Sum
from django.http import HttpRequest
from django.template.defaultfilters import filesizeformat

from hallweb.songs.models import Membership, Song, Upload


class Members(admin.TabularInline):
    model = Membership
    extra = 0
    raw_id_fields = ["user"]


@admin.register(Song)
class Songs(admin.ModelAdmin):
    list_display = ["title", "owner", "track_count", "return_count", "size", "created", "deleted"]
    list_filter = ["deleted"]
    search_fields = ["title", "owner__username"]
    fields = ["title", "owner", "created", "deleted"]
    readonly_fields = ["title", "created", "deleted"]
    raw_id_fields = ["owner"]
    inlines = [Members]

    def get_queryset(self, request: HttpRequest) -> QuerySet[Song]:
        return super().get_queryset(request).select_related("owner").annotate(size=Sum("stems__bytes"))

    @admin.display(ordering="size", description="Stems on disk")
    def size(self, song: Song) -> str:
        return filesizeformat(getattr(song, "size", 0) or 0)

    def has_add_permission(self, request: HttpRequest) -> bool:  # noqa: ARG002 - songs are made on the screens
        return False


@admin.register(Upload)
class Uploads(admin.ModelAdmin):
    list_display = ["name", "owner", "song", "size", "created"]
    list_select_related = ["owner", "song"]

    def has_add_permission(self, request: HttpRequest) -> bool:  # noqa: ARG002 - files come in from the screens
        return False
