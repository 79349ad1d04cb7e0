"""The episode as a document: values that never change, and edits that make the next one from the last."""
