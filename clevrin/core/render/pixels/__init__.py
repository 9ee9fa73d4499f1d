"""From a plan to pixels: the only room that knows depth, colour and planes."""
