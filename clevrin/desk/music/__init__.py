"""Music under the reel: laid, moved, its beats found and put right."""
