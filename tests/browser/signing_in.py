"""The way into the application."""


def sign_in(page) -> None:
    """Go to the list of songs as the user whom `make_user` makes."""
    page.goto("/")
    page.get_by_label("Name").fill("ada")
    page.get_by_label("Password").fill("a long secret")
    page.get_by_role("button", name="Sign in").click()
