// What is proposed, heard against what is there.

/** Play a stretch of the song, and hear the other of what is there and what is proposed. */
export async function hearOther(player, stretch) {
  if (!player.compared) return;
  const isThere = !stretch || (player.sample >= stretch.start && player.sample < stretch.end);
  if (!isThere) await player.seek(stretch.start);
  if (!player.isPlaying) player.play();
  await player.hear(player.side === "b" ? "a" : "b");
}
