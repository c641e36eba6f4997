"""At one logger: looked at, checked, launched, offloaded, stopped, erased."""
