"""Ways in and out: sound files."""
