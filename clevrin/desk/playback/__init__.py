"""What is played and how: programmes, the player with its clock, sound, small pictures."""
