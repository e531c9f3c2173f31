"""Files that people write and the program keeps: changed in place, there whole or not at all."""
