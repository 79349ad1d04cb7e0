"""What a feed says of a show and its episodes, and the rules that directories and players hold it to."""
