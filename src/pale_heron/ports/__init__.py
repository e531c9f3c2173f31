"""What opens, lists and watches the places that bytes come from."""
