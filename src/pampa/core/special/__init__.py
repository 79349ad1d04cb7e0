"""Special voices: a word or a whole track heard through a phone, from the next room, over a hall's speakers."""
