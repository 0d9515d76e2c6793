"""Write the published job schema from the values it describes."""

import json
from pathlib import Path

from inkshelf.core.plan.document import schema
from inkshelf.store import shop

text = json.dumps(schema(), indent=1) + "\n"
for target in ("src/inkshelf/data/job.schema.json", "docs/job.schema.json"):
    Path(target).write_text(text, encoding="utf-8")
Path("docs/figures.schema.json").write_text(json.dumps(shop.schema(), indent=1) + "\n", encoding="utf-8")
