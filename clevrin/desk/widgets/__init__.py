"""Widgets and drawing that know no project: the theme, sheets, tables of fields, the viewer, the motion ridge."""
