"""The guide's pages about starting, the firmware and sharing, by the beginning of a finding's key."""

STARTS: dict[str, dict[str, str]] = {
    "start.elsewhere": {
        "title": "Through another disk",
        "means": "The loader or the menu that starts a system lies on another disk than the system. It starts, as long as both are in, and in the same machine.",
        "do": "Put a loader onto the system's own disk; an installer that takes the first EFI system partition of all disks is kept from it by hiding the others.",
    },
    "start.chain": {
        "title": "Through a disk that can be out",
        "means": "A system on an internal disk is started by a loader or a menu on a portable one. With that disk out the machine ends at a prompt.",
        "do": "Give it a loader of its own on the internal disk before the portable one leaves the house.",
    },
    "start.logical": {
        "title": "A start-up volume that no entry leads to",
        "means": "It lies inside an MBR's extended partition, where firmware counts volumes in its own way: entries miss it. The file that needs no entry starts.",
        "do": "Make it a primary volume: a slot is free where one volume less, or an extended partition for the others, leaves it one. A GPT has no such bound.",
    },
    "start.number": {
        "title": "An entry with an old number",
        "means": "A boot entry names a partition by its GUID and by its number. The number changed, because a partition was made anew or removed; some firmware looks at both.",
        "do": "Make the entry anew with the number of today, and take the old one away.",
    },
    "start.core": {
        "title": "No room for a loader's core",
        "means": "The legacy way a menu loader has its first sector in front and the rest behind it: in the first MiB of an MBR disk, or in a BIOS boot partition of a GPT one.",
        "do": "Make a BIOS boot partition of 1 MiB; on an MBR move the first volume to 1 MiB, or put the loader elsewhere.",
    },
    "start.table": {
        "title": "A table that does not go with the mode",
        "means": "The NT family starts by UEFI from GPT only, and the legacy way from MBR only. A disk of the other kind is passed over.",
        "do": "Change the table in place, with the firmware switched in the same session; or let the machine start the legacy way as before.",
    },
    "start.modes": {
        "title": "Two modes in one machine",
        "means": "One system starts the legacy way, another by UEFI. No menu of one lists the other, and the mode is switched in the firmware each time.",
        "do": "Bring all of them to one mode: change the old disk's table, or install the new one the old way.",
    },
    "start.locked": {
        "title": "Kernels behind a passphrase",
        "means": "The menu has to open the container before it finds a kernel. It knows the older kind of key slot only, is slow, and takes the passphrase on one keyboard layout.",
        "do": "Keep the kernels in a boot volume outside, or add a key slot of the kind that the menu reads.",
    },
    "firmware.fast-boot": {
        "title": "Fast boot",
        "means": "The firmware looks at one disk and gives nobody the time to press a key. A stick is not started, and the one-time menu does not come.",
        "do": "Switch it off for the work, note it under what is to be put back, and switch it on again at the end.",
    },
    "firmware.external": {
        "title": "Nothing starts from outside",
        "means": "A setting keeps the machine from starting sticks and portable disks, often together with a password. The installer never comes up.",
        "do": "Find the setting that allows it, write down what it was, and put it back at the end. Or work without a stick.",
    },
    "firmware.ports": {
        "title": "Two ports at once",
        "means": "The installer runs from a stick while the target is in another port. Some makers bar one port during an installation, some machines have but one.",
        "do": "A hub with its own power, another port, or a first start from one and then the other; try it before anything is written.",
    },
    "firmware.update": {
        "title": "An update that is waiting",
        "means": "The running system has fetched new firmware, and the next restart writes it. That must not fall into a move, and order and keys may be others then.",
        "do": "Let it be done first, with the mains connected, look at the values again, and only then begin.",
    },
    "firmware.password": {
        "title": "A password that nobody has",
        "means": "Without it the firmware shows its values at best. Secure Boot, the order and starts from outside cannot be changed there.",
        "do": "Ask the owner and whoever kept the machine before. What the running system can set, an entry or an order, is set from there.",
    },
    "firmware.revoked": {
        "title": "A first stage that was revoked",
        "means": "Signed first stages have a generation. An update of one system can forbid older ones to all, and an older installer then ends with a line about a violation.",
        "do": "Take a newer release of that system. Secure Boot off is the other way, if the owner wants that.",
    },
    "firmware.protection": {
        "title": "Protection that is still on",
        "means": "The trust module releases the key of an encrypted volume only if the start looks as it did. A new loader, entry or order makes it ask for the recovery key.",
        "do": "Suspend the protection before the first such step, resume it after the last, and have the key at hand all the same.",
    },
    "sharing.late": {
        "title": "A start that waits for another disk",
        "means": "A line of the mount table without the word that lets the volume be missing stops the start at a prompt when its disk is out.",
        "do": "Add the words to its line, and start once with that disk out.",
    },
    "sharing.clock": {
        "title": "Two clocks",
        "means": "The NT family keeps the clock at local time, the Linux family at universal time. Each corrects the other by the hours between, at every change.",
        "do": "Let one of them change: the NT family by one value, best where three systems are there; or the Linux family. Never both.",
    },
    "firmware.hidden": {
        "title": "Secure Boot is hidden",
        "means": "With legacy support switched on, firmware hides the setting, and whether links are checked is not seen.",
        "do": "Switch legacy support off if no system starts that way, and look again.",
    },
    "firmware.lockdown": {
        "title": "Hibernation with Secure Boot on",
        "means": "With links checked, most kernels refuse to write the memory to a disk, as it could be changed there. A swap of that size is then never used.",
        "do": "Take the smaller swap; or, where hibernation matters more, weigh switching Secure Boot off.",
    },
    "firmware.mode": {
        "title": "How the firmware starts is not known",
        "means": "UEFI and the legacy way need other tables, other loaders and another order of work.",
        "do": "Look in the running system: a Linux-family one has a folder for the firmware's variables when it started by UEFI; the NT family says it in its system information.",
    },
    "firmware.secure-boot": {
        "title": "Secure Boot is not known",
        "means": "If it is on, every link of the start must be signed: first stage, menu, kernel, modules.",
        "do": "Look it up in the firmware or in the running system, and note it before anything is changed.",
    },
    "sharing.device": {
        "title": "A device name in a mount table",
        "means": "Names such as that of the first disk are given anew at each start, in the order in which disks answer.",
        "do": "Name the volume by UUID: the listing shows it.",
    },
    "sharing.hibernate": {
        "title": "Hibernation with a shared volume",
        "means": "A sleeping system believes that it still knows what is on the volume. What another one wrote meanwhile is destroyed when it wakes.",
        "do": "Share, or hibernate: not both.",
    },
    "sharing.own": {
        "title": "Another system's own volume is mounted",
        "means": "A mistake there breaks that system; and it has to be shut down fully before each use.",
        "do": "Make a data volume that both use, and leave each system's own volume to itself.",
    },
    "start": {
        "title": "A system that does not start",
        "means": "Firmware, entry, loader, menu, kernel: one link of the chain leads nowhere. The start map shows which.",
        "do": "Put the first broken link right; what lies behind it is only seen then.",
    },
    "start.active": {
        "title": "The active mark",
        "means": "On an MBR disk the start code of the NT family looks for one volume with that mark, and runs what begins there.",
        "do": "Mark the volume with the start-up files, and no other.",
    },
    "start.not-read": {
        "title": "What starts was not read",
        "means": "Captured text lists entries and volumes, no file inside them. An entry whose loader nobody read may start one system or another, or pass on to the next.",
        "do": "Say at the system's volume which entry starts it, or take in a disk image. Until then it starts as it does today, and the rehearsal claims nothing.",
    },
    "start.assumed": {
        "title": "Boot entries that were not captured",
        "means": "An image does not hold the firmware's variables. One entry for each loader is assumed, in the order of the disks.",
        "do": "Capture them on the machine, and add them to the job: numbers and order are then exact.",
    },
    "start.entry": {
        "title": "An entry that leads nowhere",
        "means": "It names a partition that is on no disk here: the disk is out, or was made anew.",
        "do": "Leave it if the disk comes back; else take the entry away, so that firmware does not wait for it.",
    },
    "start.fallback": {
        "title": "No fallback file on an external disk",
        "means": "A machine that has never seen the disk has no entry for it, and looks for one file under one name only.",
        "do": "Have the installer put its loader there too, or copy loader and menu under that name.",
    },
    "start.full": {
        "title": "An EFI system partition that will not hold it",
        "means": "Loaders, menus and, with some systems, kernels lie there. When it is full, an update leaves half of a loader.",
        "do": "Make one of its own for the new system, or a larger one.",
    },
    "start.hand": {
        "title": "Only from the firmware's one-time menu",
        "means": "The system is whole, and nothing leads to it by itself.",
        "do": "Note the key of that menu for the owner, or have a menu list it.",
    },
    "start.moved": {
        "title": "The start of an NT volume moves on an MBR disk",
        "means": "Boot data there names the volume by signature and first byte. After a move it leads to where the volume was.",
        "do": "Keep it in its place; else have the boot data repaired from the family's recovery right after the move.",
    },
    "start.no-esp": {
        "title": "No EFI system partition",
        "means": "UEFI starts files from a FAT volume of that type, and there is none.",
        "do": "Make one, or see whether the firmware starts the legacy way.",
    },
    "start.dark": {
        "title": "Steps between which nothing starts",
        "means": "Before a table is changed, or a disk emptied, something starts; afterwards something does again. In between the machine has nothing to start from.",
        "do": "Do these steps in one go, on mains, with the live stick in. The sheet says after every step what would start.",
    },
    "start.put-back": {
        "title": "Changed for the work, and put back",
        "means": "A type is changed so that an installer does not take the wrong volume. Until it is put back, some firmware does not start the old system.",
        "do": "Do the step that puts it back, and tick it.",
    },
    "start.roots": {
        "title": "Two roots of one type",
        "means": "Current systems mount a volume of the root type without a mount table. With two on a disk either may be taken.",
        "do": "Name the root in the menu and the mount table, and mark the other one so that it is not taken by itself.",
    },
    "start.small-esp": {
        "title": "An EFI system partition that is too small",
        "means": "Below 65,525 clusters a FAT is not FAT32, and firmware need not read it.",
        "do": "Make a larger one; at 4096-byte sectors that means 260 MiB at least.",
    },
    "start.two-esp": {
        "title": "Two EFI system partitions",
        "means": "Installers and firmware take the first they find. Which one that is differs.",
        "do": "Hide the one that is not meant during the installation, and put it back; know which of them holds what.",
    },
    "start.type": {
        "title": "Loaders under another type",
        "means": "The type was changed for an installation and not put back, or the volume is a copy.",
        "do": "Give it its type again, once you know that nothing else wins by that.",
    },
}
