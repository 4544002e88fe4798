// The Share screen: comments are made where the song is played and lead there; a new address is ready to be copied.

import { player } from "../../common/js/main.js";

function follow() {
  const field = document.querySelector("[data-comment-form] [name=at]");
  const place = document.getElementById("play-at").value.split("+")[0];
  if (field && place) field.value = place;
}

document.addEventListener("focusin", ({ target }) => target.matches("[data-comment-form] [name=text]") && follow());
document.addEventListener("click", ({ target }) => {
  const button = target.closest("[data-go-to]");
  if (button) player.seek(Number(button.dataset.goTo));
});
document.addEventListener("htmx:afterSettle", () => document.querySelector("[data-new-address]")?.select());
