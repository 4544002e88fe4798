"""Accounts for an operator: who there is, how much room each has, who was invited."""

from django.contrib import admin
from django.contrib.auth.admin import UserAdmin
from django.contrib.auth.models import User
from django.http import HttpRequest

from hallweb.accounts.models import Allowance, Invitation


class Room(admin.StackedInline):
    model = Allowance
    extra = 0


class Users(UserAdmin):
    inlines = [Room]
    list_display = ["username", "email", "is_active", "is_staff", "last_login", "date_joined"]


admin.site.unregister(User)
admin.site.register(User, Users)


@admin.register(Invitation)
class Invitations(admin.ModelAdmin):
    list_display = ["email", "created", "expires", "account"]
    readonly_fields = ["email", "created", "account"]

    def has_add_permission(self, request: HttpRequest) -> bool:  # noqa: ARG002 - `manage.py invite` shows the address, which is kept nowhere
        return False
