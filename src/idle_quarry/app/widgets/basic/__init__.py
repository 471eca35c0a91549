"""Buttons, labels, bars, tables, tabs: what every page is made of."""
