"""Sheets of others: a folder (a share, a checkout) of sheets is looked at, and what is wanted of it is taken over."""
