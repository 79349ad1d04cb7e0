"""Music: where its beats and bars lie, and how it is made to last as long as asked."""
