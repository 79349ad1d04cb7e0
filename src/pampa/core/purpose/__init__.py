"""What a file is for, told from its sound and from how it goes with the others."""
