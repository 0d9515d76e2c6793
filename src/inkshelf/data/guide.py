"""The guide's pages, by the beginning of a finding's key: what it means, and what practitioners do about it."""

from inkshelf.data.guide_starts import STARTS

TABLE: dict[str, dict[str, str]] = {
    **STARTS,
    "built": {
        "title": "The machine is not as planned",
        "means": "A fresh reading was held against the plan, line by line. A size that an installer rounded is as good; what was not put back stops a start weeks later.",
        "do": "Put right what stops; accept the rest in writing. Then take the machine as it is, so that the next job starts from what is there.",
    },
    "built.small": {
        "title": "Small differences from the plan",
        "means": "A name in the table, a label, a GUID that nothing names, a place that an installer rounded: no start and no file depends on them.",
        "do": "Look once whether they tell of something else, such as the wrong volume. Then take the machine as it is: its record has them.",
    },
    "disk.failing": {
        "title": "A disk that reports errors",
        "means": "Its own counters say that sectors could not be read, or were moved to spare ones. It may work for years, or stop within the hour, and a shrink reads all of it.",
        "do": "Copy what is on it to a sound disk before anything else, file by file, the most wanted first. Then plan on the sound one.",
    },
    "logbook.before": {
        "title": "A machine that was here before",
        "means": "One of its disks stands in the logbook, by its serial number. What was done then, and how its firmware opened, is known.",
        "do": "Read that job before you ask the owner anything. If a disk went into another machine, the firmware's key may be another.",
    },
    "logbook.unread": {
        "title": "The logbook was not looked into",
        "means": "Its file is damaged, gone, or cannot be reached. Whether this machine was here before, and what its models are known for, is then not known.",
        "do": "Put the logbook right or restore its back-up, then open the job again. Until then ask the owner, as on a first visit.",
    },
    "logbook.fault": {
        "title": "A model that is known for a fault",
        "means": "Somebody in the shop wrote down what this model of disk or board does, and what helps. It is not a finding about this very machine.",
        "do": "Do what helped before it is needed. Where it turns out to be wrong, or is mended by an update, take it back.",
    },
    "room.move": {
        "title": "A move",
        "means": "What stands in the way goes elsewhere on the disk: every byte of the partition is read and written once. It is the longest step, and a power cut hurts it most.",
        "do": "Look whether less room would do without it. Else: back-up read back, mains connected, and time.",
    },
    "room.split": {
        "title": "Two gaps are not one",
        "means": "A volume lies in one stretch. Two gaps of 30 GiB hold two volumes of 30 GiB, and none of 60.",
        "do": "Ask for what fits the larger one, move what lies between, or use the small gap for something that is small.",
    },
    "room.larger": {
        "title": "Contents larger than their partition",
        "means": "The file system or container says that it is longer than the partition it lies in. Its end was cut off, or another volume stands on it.",
        "do": "Write nothing. Take a copy of the disk, let the file system's own checker look at the copy, and only then decide.",
    },
    "room.unused": {
        "title": "Part of a partition that nothing uses",
        "means": "The partition was made larger and what is in it was not, or the other way round: the end belongs to nobody.",
        "do": "Grow what is in it, by its own utility; or give the end to something else.",
    },
    "room.lock": {
        "title": "A lock that does not hold",
        "means": "A size was locked, and a later aim or a step by hand gives that volume another one: what was asked for twice contradicts itself.",
        "do": "Take the later aim out, let it give its room elsewhere, or unlock the size.",
    },
    "people.width": {
        "title": "A processor that is too narrow",
        "means": "A system made for 64 bits does not start on a processor of 32; its installer stops with one line or a black screen.",
        "do": "Choose a system for old machines.",
    },
    "people.licence": {
        "title": "Where the licence is",
        "means": "An NT-family system asks for it, and it decides the edition. It lies in the firmware, in an account, or on a sticker.",
        "do": "Look it up before the edition is chosen; note where it is, not the key itself.",
    },
    "people.case": {
        "title": "An open case",
        "means": "What carries charge kills parts, and parts with mains kill people.",
        "do": "Off, unplugged, battery out, power button held, strap on. Mains-powered parts are for qualified people under local rules.",
    },
    "people.battery": {
        "title": "A swollen battery",
        "means": "Gas lifts its shell, and a lifted keyboard or pad is the first sign. Charging, pressing or piercing it can set it on fire.",
        "do": "Switch off, unplug, do not press it. Somebody trained takes it out; it goes where such batteries are taken, not into a bin.",
    },
    "bench.missing": {
        "title": "A utility is missing on this computer",
        "means": "The bench works with base utilities: each kind of file system has its own. Without it the plan can be read, printed and rehearsed, not inked.",
        "do": "Install the package that is named. Nothing of the plan changes by that.",
    },
    "disk.alignment": {
        "title": "Not aligned to 1 MiB",
        "means": "A volume begins in the middle of a physical sector or an erase block, as older tools left it. The disk then reads and writes twice for one.",
        "do": "Leave it as it is, unless it is made anew anyway. Moving it only for that is not worth the risk.",
    },
    "disk.alike": {
        "title": "Two disks that look alike",
        "means": "Same size or same model: in a list, and under names that change from start to start, one is taken for the other. That is how the wrong disk is erased.",
        "do": "Tell them by serial, on the label and in the listing. Take one out where you can; else read the serial aloud before every step that erases.",
    },
    "disk.backup": {
        "title": "The backup table is not at the end",
        "means": "A GPT keeps a second copy in the disk's last sectors. After a disk was copied to a larger one it stands in the middle, and the room behind it cannot be used.",
        "do": "Put it at the end first: repair the table from its good copy. No volume moves by that.",
    },
    "disk.beyond": {
        "title": "A volume runs past the end",
        "means": "The table names more sectors than the disk has: an image was cut short, or the disk was copied to a smaller one. What lies behind the end is not there.",
        "do": "Take the disk in again, whole. Write nothing before the sizes agree.",
    },
    "disk.duplicate": {
        "title": "One GUID on two partitions",
        "means": "A copy of a disk, byte for byte, bears the same identities as its source. Boot entries and boot data may then lead to either.",
        "do": "Take the copy out, or give its volumes identities of their own before both are in one machine.",
    },
    "disk.hybrid": {
        "title": "Hybrid MBR",
        "means": "Records of an old table stand beside the GPT, so that a system that knows no GPT sees some of the volumes. Systems disagree on which table counts.",
        "do": "Keep both in step with every change, as this program does, or leave the records out once nothing needs them.",
    },
    "disk.identity": {
        "title": "The serial is not known",
        "means": "An image does not say which disk it was read from. Sheet and script can then compare the size only.",
        "do": "Capture the listing on the machine, and add it to the job: it brings model and serial.",
    },
    "disk.large-mbr": {
        "title": "More than an MBR can name",
        "means": "An MBR counts sectors in 32 bits: 2 TiB at 512 bytes. What lies behind cannot be part of any volume.",
        "do": "Change the table to a GPT where the machine can start from one; else leave the rest unused.",
    },
    "disk.overlap": {
        "title": "Two volumes overlap",
        "means": "Both claim the same sectors: one of them has been written over already, or will be.",
        "do": "Write nothing. Find out which one is alive, save its files, and make the table anew.",
    },
    "disk.protective": {
        "title": "No protective record",
        "means": "Sector 0 of a GPT disk should say that the whole disk is taken. Without it, older tools see an empty disk and offer to partition it.",
        "do": "Have the table written anew: the record comes with it.",
    },
    "disk.removable": {
        "title": "A disk that can be out",
        "means": "What starts from it, and every menu that leads to it, depends on whether it is plugged in.",
        "do": "Let each internal system start by itself, and the external one by its own fallback file. Mount what lies on it so that a start does not wait.",
    },
    "disk.sector": {
        "title": "Another sector size",
        "means": "Some adapters show 4096-byte sectors where the disk has 512, or the other way round. A table made at one size is not found at the other.",
        "do": "Connect the disk as it was when it was partitioned. If it is to live behind this adapter, copy its files and make it anew there.",
    },
    "disk.signature": {
        "title": "One signature on two disks",
        "means": "The NT family takes a disk offline whose signature it has seen already, and its boot data may mean either.",
        "do": "Take one of them out, or give the copy another signature before both are in.",
    },
    "disk.slots": {
        "title": "No slot left",
        "means": "An MBR has four records. With four primary volumes the free room cannot be used, however large it is.",
        "do": "Turn one volume into an extended partition with logical ones, give one up, or change the table to a GPT.",
    },
    "disk.table": {
        "title": "One copy of the table is damaged",
        "means": "A GPT is kept twice, each with a checksum. One copy is broken, the other is good; it usually comes from a cut, or from a tool that knew one copy only.",
        "do": "Repair it from the good copy before anything else. Look at the disk's own error counters when it happens again.",
    },
    "disk.type": {
        "title": "A partition type that nobody here knows",
        "means": "It may belong to a maker's recovery, a system of another family, or a container.",
        "do": "Ask whose it is. It is kept to the byte until you know.",
    },
    "disk.uuid": {
        "title": "One UUID on two file systems",
        "means": "Mount tables and menus name file systems by UUID. With two of one name, either may be mounted, and not the same one each time.",
        "do": "Give the copy a new identity, or take it out.",
    },
    "fs.case": {
        "title": "Names that differ by capitals only",
        "means": "The Linux family keeps two such files apart on NTFS. The NT family sees both names and opens one file under either; a copy on FAT or exFAT keeps one.",
        "do": "Rename one of each pair from the Linux family before both families work on the volume.",
    },
    "fs.home": {
        "title": "A home without owners",
        "means": "FAT, exFAT and NTFS keep no owners, rights and links as a Linux-family system needs them in a home.",
        "do": "Keep the home on a file system of its own family, and only the files that others read on a shared volume.",
    },
    "fs.label": {
        "title": "A label that its file system does not take",
        "means": "Too long, or with signs that it cannot hold: the utility refuses it, or cuts it short without a word.",
        "do": "Choose a shorter one, of plain letters and digits.",
    },
    "fs.sector": {
        "title": "A FAT made for other sectors",
        "means": "Its own boot sector names a sector size that the disk does not have. Firmware reads FAT by that field, and finds nothing.",
        "do": "Copy what is on it, format it on this disk, and copy it back.",
    },
    "intake.contradiction": {
        "title": "Two readings disagree",
        "means": "An image and a listing, or two listings, say different things of one disk: one is older, or is of another disk.",
        "do": "Take both anew, one right after the other, and plan only then.",
    },
    "people.backup": {
        "title": "The back-up",
        "means": "A copy that nobody has opened is not a back-up. The steps that shrink, move or convert cannot be cut without one.",
        "do": "Make it on another medium, open three files of different kinds from it on another machine, and note that.",
    },
    "people.consent": {
        "title": "Consent in writing",
        "means": "The owner decides what is given up, moved and encrypted, and should have read it.",
        "do": "Go through the sheet with them; name, date and signature at its foot.",
    },
    "people.encrypted": {
        "title": "Is it encrypted?",
        "means": "If it is, the recovery key is asked for once loaders or their order change, and nothing can be resized from outside.",
        "do": "Look it up in the running system before the work, and find the key if there is one.",
    },
    "people.external": {
        "title": "A system on an external disk",
        "means": "Planned as a system with a disk of its own, it leaves an entry in this machine's firmware that leads nowhere while the disk is out.",
        "do": "Use an internal disk, or plan it as one that travels: complete on its disk, nothing left on the machine.",
    },
    "people.key": {
        "title": "The recovery key",
        "means": "The trust module releases the key only to the start that it knows. After a change of loaders it asks for the recovery key, once.",
        "do": "Find the key and compare its first digits before anything is changed; suspend the protection for the work, resume it at the end.",
    },
    "people.lost": {
        "title": "Something is given up",
        "means": "The plan formats or removes a volume that holds something.",
        "do": "Open it and look, with its owner. What is wanted goes to the back-up first; then answer for it in writing.",
    },
    "people.mains": {
        "title": "Mains",
        "means": "A shrink or a move that an empty battery cuts leaves a volume that is whole in neither place.",
        "do": "Connect the mains before the first step that writes, and see that the battery charges.",
    },
    "people.memory": {
        "title": "More memory than there is",
        "means": "The system would start and then wait for its disk most of the time.",
        "do": "Take a lighter one, or add memory first.",
    },
    "people.ram": {
        "title": "The memory is not known",
        "means": "The size of the swap follows from it, and whether a system is too heavy for the machine.",
        "do": "Enter it: the running system and the firmware both say it.",
    },
    "people.travels": {
        "title": "A portable disk gets lost",
        "means": "Whoever finds it reads everything on it, mail and passwords of browsers too.",
        "do": "Encrypt all of it, and keep a copy of the header and a back-up at home. A passphrase that is forgotten loses everything: weigh both with the owner.",
    },
    "plan.idle": {
        "title": "A step by hand that does not apply now",
        "means": "What it speaks of is not there, or is so already, since the aim or another step changed.",
        "do": "Leave it: it applies again when it can. Or take it back.",
    },
    "room.blind": {
        "title": "What is inside is not known",
        "means": "A volume is encrypted, damaged, or of a kind that is not read here. How full it is, and how small it could be, is not known.",
        "do": "Say what you know of it at the volume itself, or capture it on the machine while it is unlocked.",
    },
    "room.blocked": {
        "title": "Growth is blocked",
        "means": "A volume can only take room that begins at its end. Often a recovery volume stands there.",
        "do": "Move what stands in between, with its cost; or give the room to another volume.",
    },
    "room.comfort": {
        "title": "Below comfort",
        "means": "It works, and will be full within a year or two of updates and files.",
        "do": "Give it more now if you can: growing later costs a move more often than not.",
    },
    "room.contents": {
        "title": "Contents that nobody can read",
        "means": "There is data here, and no reader for it.",
        "do": "Ask its owner. It is kept to the byte.",
    },
    "room.fault": {
        "title": "A step cannot be done",
        "means": "The plan ends before it: what the step needs is not so at that point.",
        "do": "Read the sentence, and change the aim or the step before it.",
    },
    "room.floor": {
        "title": "Below the floor",
        "means": "The system would install, and fail at an update for want of room.",
        "do": "Give it more, take a lighter system, or no home of its own.",
    },
    "room.gap": {
        "title": "Room that is left over",
        "means": "Free room lies elsewhere on the disk than the new volumes do.",
        "do": "Leave it for later, or give it to a neighbour.",
    },
    "room.kept": {
        "title": "A gap that is kept on purpose",
        "means": "After a removal the room stays free, as was asked for.",
        "do": "Nothing. The note is there so that nobody takes it for forgotten.",
    },
    "room.movable": {
        "title": "It cannot be shrunk that far",
        "means": "The family's own box stops at files that it cannot move while it runs: page file, hibernation file, parts of its file table.",
        "do": "Ask for less; or switch hibernation and the page file off, restart, and look at what the box offers then.",
    },
    "room.no-plan": {
        "title": "This cannot be planned",
        "means": "Limits contradict each other: room, slots of the table, the way the firmware starts.",
        "do": "Look at the ways out under Aim: each is worked out in full, the cheapest first.",
    },
    "room.reserve": {
        "title": "The reserve of the old system",
        "means": "A system that was shrunk to its last gigabytes fails at its next large update. The larger of 20 GiB and 15 % stays free.",
        "do": "Take less from it, or clear it up first, with its owner.",
    },
    "room.staging": {
        "title": "A staging volume that stays",
        "means": "The installer's volume is of no use once the system is there, and whoever finds it later wonders.",
        "do": "Give it back to its neighbour in the same job.",
    },
    "room.unmeasured": {
        "title": "How far it can shrink is not known",
        "means": "A listing does not say what cannot be moved. Only the family's own box, or an image, does.",
        "do": "Open the box and read what it offers before the sheet is followed; if it is less, plan again.",
    },
    "room.asleep": {
        "title": "Half asleep",
        "means": "With fast start-up the NT family leaves its volumes half open at shutdown. Another system may only read them, and nothing may resize them.",
        "do": "Switch fast start-up off, then shut down fully: a restart is not enough.",
    },
    "room.dirty": {
        "title": "Marked for a check",
        "means": "Its own system noticed that something was not finished. A resize on top of that can lose files.",
        "do": "Let its own system check it, with a restart if it asks for one, and look again.",
    },
    "wish.automatic": {
        "title": "What its own layout would set",
        "means": "Some systems set subvolumes, compression or a volume group when they lay a disk out themselves. Made by hand there is none of it, and nothing says so.",
        "do": "Choose the school that the system has as its own; or note that its snapshots are off, and switch off what would try to make them.",
    },
    "wish.edition": {
        "title": "Which edition?",
        "means": "An install image holds several editions, each with a number, and the numbers differ from image to image.",
        "do": "Read them from the image that is used, and choose the one that the owner's licence is for.",
    },
    "stick.alike": {
        "title": "Two sticks look alike",
        "means": "Size and model are the same; the system may give either of them the name that the other one had a minute ago.",
        "do": "Unplug all but one. List with it out and with it in, compare the serial, and list again just before you write.",
    },
    "stick.apart": {
        "title": "The stick is no part of the job",
        "means": "The sheet asks for an installer's stick, and nothing in it says of which image, which stick, or how long it takes.",
        "do": "Add the image under Media; the stick is made before everything else: getting it, comparing it, telling the stick apart and checking it stand on the sheet then.",
    },
    "stick.family": {
        "title": "An installer of another family",
        "means": "What is installed needs its own installer, and every image on the sticks of this job is of another family.",
        "do": "Add its installer's image under Media, on the same stick or on one of its own.",
    },
    "stick.label": {
        "title": "A label that is looked for",
        "means": "The live system finds its own files by the label of the stick, and the file system here bears another one. It stops before its first screen.",
        "do": "Change the label in the lines of the menu on the stick, or write the image as it is: then it bears its own label.",
    },
    "stick.left": {
        "title": "An image is left out",
        "means": "The images come to more than the stick holds. Which of them go on it was solved exactly: nothing better is possible.",
        "do": "Take a larger stick, leave out another image, or say which one is wanted most.",
    },
    "stick.lies": {
        "title": "A stick that lies about its size",
        "means": "It says that it is larger than it is, and writes what is too much over its own start. Nothing complains until somebody reads it.",
        "do": "Throw it away. What was copied to it before is not to be trusted either: read it back from where it came.",
    },
    "stick.refused": {
        "title": "Made for another machine",
        "means": "The way that was chosen does not start on this machine, by what is known of its firmware, its processor and Secure Boot.",
        "do": "Choose the way that fits, or note on the stick for which machine it was made.",
    },
    "stick.slow": {
        "title": "Too slow to live on",
        "means": "A running system writes small pieces all the time. Many sticks do that at a hundredth of the speed that stands on them.",
        "do": "Measure before you choose: small pieces decide. Take a faster stick, or one for live use only.",
    },
    "stick.slows": {
        "title": "Slower after a while",
        "means": "The first bytes go to a fast part of the stick; once that is full it writes at its real speed.",
        "do": "Trust the time that is left, not the first minute. Wait for the flush at the end: it can take longer than the writing.",
    },
    "stick.twice": {
        "title": "One stick made twice",
        "means": "Two aims begin the same stick from nothing. The second one gives up what the first one put there, and nobody says so at the bench.",
        "do": "Give one of them another stick, or take an aim out. As several images on one stick, they are one aim.",
    },
    "stick.unstarted": {
        "title": "Not started from the menu",
        "means": "Images of some kinds do not start as a file: the installer of the NT family, and those that say nothing of their kernel.",
        "do": "Give it a stick of its own; as a file it is only carried along.",
    },
    "stick.unverified": {
        "title": "An image without a sum",
        "means": "A download can be cut short, damaged, or not from whom it says. It starts, and fails in the middle of an installation, or worse.",
        "do": "Get the sum from its maker's own site, paste it or its list, and let it be compared.",
    },
    "wish.unproved": {
        "title": "Not proved to be the best",
        "means": "With many volumes in the way there are more orders than can be tried. What is planned holds every limit; a better one was neither found nor ruled out.",
        "do": "Take it as it is, or plan the systems one after the other, or keep volumes where they are: then it is proved again.",
    },
}
