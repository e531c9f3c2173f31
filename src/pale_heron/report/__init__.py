"""What can be shown to others: charts made for print, tracks in open formats."""
