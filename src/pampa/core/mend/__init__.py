"""Taking out what is wrong with a recording, on the recording's own time, segment by segment."""
