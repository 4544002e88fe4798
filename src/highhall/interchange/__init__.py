"""Ways in and out: sound files, folders of stems, MIDI files, tables of sections."""
