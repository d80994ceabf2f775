"""Print-through: tiles that hang in the air; by how much they are thicker than drawn is what light adds below them."""

from drumbo.trials.print_through.kind import PrintThrough

KIND = PrintThrough()
