"""Bond of two: from which temperature on a second material holds to the first better than it holds together."""

from drumbo.trials.bond_of_two.kind import BondOfTwo

KIND = BondOfTwo()
