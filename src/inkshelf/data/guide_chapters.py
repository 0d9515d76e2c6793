"""The guide's pages of the chapters: what each is for, how it is used, its keys."""

TABLE: dict[str, dict[str, str]] = {
    "intake": {
        "title": "Intake: what is there",
        "means": "The machine as it is: disks, tables, volumes, what they hold and how full they are, the firmware and its entries. A raw image tells "
        "most; what the capture kit leaves, or what two commands print on the machine, tells nearly as much. Nothing is written to the machine.",
        "do": "Add an image or captured text; both of one disk are joined.\n"
        "Answer what only a person can say. “Not known yet” is an honest answer; what hangs on it is said beside it.\n"
        "Where used space is not known, type what the volume's own system shows.\n"
        "“More” beside a volume says what else you know of it; it can be taken back.\n"
        "A machine that was here before is known by its disks, and said in the margin.",
        "keys": "Ctrl+I image · Ctrl+Shift+I captured text · Tab from answer to answer",
    },
    "aim": {
        "title": "Aim: what is wanted",
        "means": "What the owner wants, as one or more aims behind each other. Each question has an answer that is usual on this machine, with the reason; "
        "the ways to do the same stand side by side with what they cost.",
        "do": "Choose a kind of job. Change only the answers that differ here; everything is planned anew at once.\n"
        "Where something cannot be, the ways out are listed, the cheapest first.\n"
        "Where a start is to be mended, say what is seen, then answer the look that tells most.\n"
        "Another way is taken with a reason, which stands on the sheet.",
        "keys": "Ctrl+2 · arrows in the pictures · Enter takes",
    },
    "media": {
        "title": "Media: sticks and images",
        "means": "What goes on which stick, how it is made so that it starts, how long that takes, and what does not fit. Images are looked into, sums compared.",
        "do": "Plug a stick in or say its size; add images; drag them from stick to stick.\n"
        "A stick is measured before it is trusted: some hold less than they say.\n"
        "What cannot start as a file is said, and gets a stick of its own.",
        "keys": "Ctrl+Shift+U stick · Ctrl+Shift+L images · Ctrl+L look into an image",
    },
    "shelf": {
        "title": "Shelf: the disk as found and as planned",
        "means": "Above what was found, in ink; below what is planned, in pencil; ribbons tie what is kept to where it goes. What has no ribbon is new, or is "
        "given up and says so. The tape, the margin, the numbers at the foot and the start follow while you drag.",
        "do": "Drag an edge, or move it by the arrows; it stops where the smallest size, a neighbour or the reserve stops it.\n"
        "A right click on a volume offers single steps by hand.\n"
        "The number to type stands at the foot, for the box that you have before you.",
        "keys": "Left, Right 1 GiB · Shift 10 GiB · Ctrl 1 MiB · E the other edge · L lock · Z closer",
    },
    "start": {
        "title": "Start: what comes up",
        "means": "The way of every system from the firmware by entry, loader and menu to the system, before anything is written: as found, after each step, and "
        "after each mishap. A broken line ends where and says why.",
        "do": "Move through the steps with the slider. Choose a mishap in the table.\n"
        "“Watch it start” starts the inked disk in an emulator, where one is there.\n"
        "Entries can be put first, switched on or renamed; each is a step by hand.",
        "keys": "F5 · Left, Right through the steps · Up, Down through the mishaps",
    },
    "sheet": {
        "title": "Sheet: the steps, and working them",
        "means": "The plan as rows in order with exact values and commands, the point of no return as a bold line, and what starts if it stops here. It prints, "
        "works on a phone, and is worked step by step in bench mode with a clock.",
        "do": "Read all of it before you begin. Ink it on the bench first: the same steps on a copy, with proof.\n"
        "In bench mode one key goes on; a step can fail, be left out or be done in another way, with the reason.\n"
        "A filled paper is entered line by line; what a phone noted is taken in from its file.",
        "keys": "F9 bench mode · Shift+F9 filled paper · Space ticks · Ctrl+P print · Ctrl+B ink",
    },
    "proof": {
        "title": "Proof: the machine as built",
        "means": "A fresh capture or image held against the plan, line by line: as planned, not and whether that matters, or not known. What was to be put back "
        "and is not is told apart.",
        "do": "Compare with a fresh reading once the work is done.\n"
        "Put right what stops a start; accept the rest in writing.\n"
        "Take the machine as it is, so that the next job begins there; save the hand-over and sign it together.",
        "keys": "Ctrl+Shift+P capture · R put it right · A accept it",
    },
    "logbook": {
        "title": "Logbook: every job, and how long things take",
        "means": "Jobs are put in by themselves as you work. The band is what was foretold before a job began, eight times of ten; the stroke is what it took. "
        "Below: each stage here, how often bands held, what is waited for, what is found most, and the day on the bench.",
        "do": "Type any word of a job; Enter opens the chosen one in a file of its own.\n"
        "Write a fault of a model down, and it is said whenever such a machine is taken in.\n"
        "A shop's logbook is exchanged every minute; what two changed is shown here until somebody settles it.\n"
        "“Today” says what comes next, and when each machine can be collected; Enter on a machine promises it for an hour, and the day is planned for that.",
        "keys": "Ctrl+F look for a job · Down to what was found · Enter opens it",
    },
    "practice": {
        "title": "Practice: drills on made-up machines",
        "means": "A machine with something wrong, a plan with a slip, or a question, each made anew. It is worked in this window and judged by the rehearsal, the "
        "ledger and the time; you are told what a real machine would have done.",
        "do": "Begin the first of the list: what is due and weak comes first.\n"
        "Work on it, come back, let it be judged; as long as it is not done it may be tried again.\n"
        "A hint costs 15 points. Afterwards it can be walked through step by step.\n"
        "Your own job waits meanwhile, and comes back with one press.",
        "keys": "Ctrl+9 · Enter begins",
    },
}
