"""The Field desk: what is at hand, one logger in five stages, several at once, couriers."""
