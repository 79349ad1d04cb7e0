"""From the document to sound: the plan, ducking, the one renderer, and the loudness of the whole as it stands."""
