"""Write the pictures of the main views into a folder, from the demo data."""

import shutil
import sys
import tempfile
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage

from inkshelf.core.checks.guide import chapter_pages
from inkshelf.data import GUIDE_PICTURES
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk
from inkshelf.ui.frame.settings import Settings
from inkshelf.ui.frame.window import Window
from inkshelf.ui.pictures import take_pictures
from inkshelf.ui.start import application

WIDE = 960  # pixels of a picture in the guide

scratch = Path(tempfile.gettempdir()) / "ink-shelf"  # its name is in the pictures: the same each time
shutil.rmtree(scratch, ignore_errors=True)
scratch.mkdir(mode=0o700)
try:
    app = application()
    theme.apply(app, "paper")
    window = Window(Desk(), Settings(), scratch / "settings.json")
    for path in take_pictures(window, Path(sys.argv[1]), scratch / "demo"):
        print(path)
        if path.stem in {page.key for page in chapter_pages()}:  # the guide in the program shows them, smaller
            GUIDE_PICTURES.mkdir(exist_ok=True)
            small = QImage(str(path)).scaledToWidth(WIDE, Qt.TransformationMode.SmoothTransformation)
            small.save(str(GUIDE_PICTURES / f"{path.stem}.jpg"), "JPG", 86)
finally:
    shutil.rmtree(scratch)
