"""Writes the JSON Schema of a document into the docs, made from the model."""

import json
from pathlib import Path

from keen_trellis.document.storage import schema

if __name__ == "__main__":
    target = Path(__file__).parents[1] / "docs" / "trellis.schema.json"
    target.write_text(json.dumps(schema(), indent=2) + "\n")
