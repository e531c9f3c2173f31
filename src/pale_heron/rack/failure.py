"""What a rack says when something does not hold."""


class RackFailure(AssertionError):
    """Something did not hold, or did not come in time: what was wanted, what there was, and in which capture it is."""
