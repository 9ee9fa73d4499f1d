"""Everything Clevrin knows and computes, without any interface: no module below imports Qt."""
