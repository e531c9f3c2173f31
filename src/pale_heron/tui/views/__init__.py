"""One file a view: the painters of its question, answer and evidence."""
