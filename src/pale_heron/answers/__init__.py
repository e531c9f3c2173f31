"""The one place that answers the questions: a sentence or two each, with the sample they stand on."""
