"""Projects and files of other tools, as the window opens, saves, finds and hands them on."""
