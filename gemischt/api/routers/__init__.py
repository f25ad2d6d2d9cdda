"""One router per subject."""
