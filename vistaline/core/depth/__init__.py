"""How far away each pixel of a picture is: where that comes from, and what is done to it."""
