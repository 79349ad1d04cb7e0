"""The picture that belongs to the talk: which of it is seen at each moment of an episode, however that was cut."""
