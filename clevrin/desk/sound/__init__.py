"""The sound of the reel as lanes under it: how loud it is, how it comes and goes, and how loud it is in all."""
