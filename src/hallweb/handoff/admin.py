"""Prints for an operator: whose, how far, how large."""

from django.contrib import admin
from django.http import HttpRequest

from hallweb.handoff.models import PrintJob


@admin.register(PrintJob)
class Prints(admin.ModelAdmin):
    list_display = ["pk", "song", "author", "state", "percent", "bytes", "created", "message"]
    list_filter = ["state"]
    list_select_related = ["song", "author"]
    fields = ("song", "author", "state", "message", "bytes", "created")
    readonly_fields = ("song", "author", "state", "message", "bytes", "created")

    def has_add_permission(self, request: HttpRequest) -> bool:  # noqa: ARG002 - prints are started on the screen
        return False
