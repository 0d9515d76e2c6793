"""Small faults in what is known of starting; the same rows as in ``faults.py``."""

STARTING: tuple[tuple[str, str, str, str], ...] = (
    ("core/boot/uefi.py", "number == firmware.next or not passed_over(entry)", "not passed_over(entry)", "firmware"),
    (
        "core/boot/uefi.py",
        "if one.id not in seen), key=lambda one: not one.removable)",
        "if one.id not in seen), key=lambda one: one.removable)",
        "firmware",
    ),
    ("core/boot/uefi.py", 'return file is not None and file.unfit != "no program"', "return file is not None", "firmware"),
    ("core/boot/uefi.py", "by_mark and volume.number == entry.partition_number", "by_mark", "firmware"),
    ("core/boot/uefi.py", "            parts = parts[:-1]", "            parts = parts[1:]", "firmware"),
    ("core/boot/firmware.py", '        result = "returned"  #', '        result = "not found"  #', "firmware"),
    ("core/boot/entries.py", "active=option.active,", "active=True,", "firmware"),
    ("core/boot/entries.py", "(APPLICATION if entry.application else 0)", "0", "firmware"),
    ("core/boot/paths.py", "UUID(bytes_le=own)).upper())", "UUID(bytes=own)).upper())", "boot_variables"),
    ("core/boot/paths.py", "2 if kind == 2 else 1, kind", "1, kind", "boot_variables"),
    ("core/boot/variables.py", "raw[begin + length :])", 'b"")', "boot_variables"),
    ("core/disk/probe.py", '0xAA64: "aa64"', '0xAA64: ""', "firmware"),
    ("bench/pace.py", "1 / CHANGED <= rate", "0 <= rate", "pace"),
    ("bench/watching.py", "if last.variable and ran.variable != last.variable:", "if False:", "firmware window_watch"),
    (
        "core/media/searching.py",
        "if at not in takes or self._sizes[at] > self._left[number] or like in tried:",
        "if at not in takes or like in tried:",
        "media_packing",
    ),
    ("core/plan/bringing.py", "    return with_images(job, images)", "    return job", "bringing"),
)
