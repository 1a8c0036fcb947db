"""The one error that is meant for people."""


class NightmistError(Exception):
    """Something the painter can do about: what was wrong, with which value, and the way out."""
