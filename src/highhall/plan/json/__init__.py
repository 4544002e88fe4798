"""How a plan stands in JSON: strict reading that names the place of every fault, writing, and the schema."""
