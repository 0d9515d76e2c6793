"""Write the published job schema from the values it describes."""

import json
from pathlib import Path

from inkshelf.core.plan.document import schema

text = json.dumps(schema(), indent=1) + "\n"
for target in ("src/inkshelf/data/job.schema.json", "docs/job.schema.json"):
    Path(target).write_text(text, encoding="utf-8")
