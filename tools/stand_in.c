/* A stand-in for a loader that does what the rehearsal takes a loader to do: a first stage starts the menu beside it, a menu reads its
 * configuration and starts what it lists first or what its default names, a menu of entry files sorts those of its volume and begins one
 * of their kernels, the NT family's loader looks for its boot data. Each says what
 * it does on the console, and stops where a real one would wait or begin a kernel.
 *
 * Made into bytes by tools/stand_in.py; the bench puts it into a program (bench/programs.py) with what stands behind it:
 * a letter for its kind (16 bits), then two texts of 16 bits a character, each with a zero at its end: who it is, and the file it reads:
 * by its path, or by its name beside the program itself, wherever it was copied to.
 * UEFI specification 2.10: tables 4.3 and 4.4, protocols 9.1 (loaded image), 10.2 (device path), 12.4 (console), 13.4 and 13.5 (files).
 */
typedef unsigned long long u64;
typedef unsigned int u32;
typedef unsigned short u16;
typedef unsigned char u8;
typedef struct { u32 a; u16 b, c; u8 d[8]; } guid;
#define API __attribute__((ms_abi))
#define AT(type, base, offset) (*(type *)((u8 *)(base) + (offset)))
#define CALL(base, offset, ...) (((u64 API (*)())AT(void *, base, offset))(__VA_ARGS__))
enum { CONSOLE = 0x40, RUNTIME = 0x58, BOOT = 0x60, PRINT = 0x08, RESET = 0x68 };
enum { POOL = 0x40, HANDLE = 0x98, LOAD = 0xC8, START = 0xD0, LOCATE = 0x138 };
enum { DEVICE = 0x18, FILE_PATH = 0x20, VOLUME = 0x08, OPEN = 0x08, READ = 0x20 };
enum { VARIABLE = 0x48, CODE_AT = 0x200, SIGNATURE = 24 + 112 + 4 * 8 };
enum { MEDIA = 0x08, PRESENT = 5, BLOCK = 0x0C, BLOCKS_READ = 0x18, HEAD = 0x12000 };
enum { MOST = 65536, NOT_FOUND = 14, DENIED = 15 };
#define ERROR(code) ((1ULL << 63) | (code))

extern u16 parameters[];  /* right behind the code */

typedef struct { void *system, *image; u8 *text; u64 size; } here;
typedef struct { u8 *at; u64 size; } span;
typedef struct { span title, identity, body; u8 perhaps, menu; } entry;

u64 API work(void *image, void *system);

__attribute__((section(".begin"), ms_abi, used)) u64 begin(void *image, void *system) { return work(image, system); }

static void *boot(here *h) { return AT(void *, h->system, BOOT); }

static void print(here *h, const u16 *words) {
	void *console = AT(void *, h->system, CONSOLE);
	CALL(console, PRINT, console, words);
}

static void say(here *h, const char *words) {
	u16 line[2];
	line[1] = 0;
	for (; *words; words++) { line[0] = (u8)*words; print(h, line); }
}

static void say_span(here *h, span text) {
	u16 line[2];
	line[1] = 0;
	for (u64 n = 0; n < text.size; n++) { line[0] = text.at[n] < 0x20 || text.at[n] > 0x7e ? '?' : text.at[n]; print(h, line); }
}

__attribute__((noreturn)) static void stop(here *h) {
	CALL(AT(void *, h->system, RUNTIME), RESET, 2, 0ULL, 0ULL, (void *)0);
	for (;;) ;
}

__attribute__((noreturn)) static void wait_for_somebody(here *h, const char *why) {
	say(h, "stand-in: ");
	say(h, why);
	say(h, "; it waits\r\n");
	stop(h);
}

static void *protocol(here *h, void *handle, const guid *which) {
	void *found = 0;
	return CALL(boot(h), HANDLE, handle, which, &found) ? 0 : found;
}

static const guid LOADED = {0x5B1B31A1, 0x9562, 0x11d2, {0x8E, 0x3F, 0x00, 0xA0, 0xC9, 0x69, 0x72, 0x3B}};
static const guid FILES = {0x964E5B22, 0x6459, 0x11d2, {0x8E, 0x39, 0x00, 0xA0, 0xC9, 0x69, 0x72, 0x3B}};
static const guid PATH = {0x09576E91, 0x6D3F, 0x11d2, {0x8E, 0x39, 0x00, 0xA0, 0xC9, 0x69, 0x72, 0x3B}};

/* An open file of a volume, or nothing. */
static void *opened(here *h, void *device, const u16 *path) {
	void *volume = protocol(h, device, &FILES), *root = 0, *file = 0;
	if (!volume || CALL(volume, VOLUME, volume, &root)) return 0;
	return CALL(root, OPEN, root, &file, path, 1ULL, 0ULL) ? 0 : file;
}

/* Start a program of a volume: its device's path with the file's behind it. Comes back only where it does. */
static u64 start(here *h, void *device, const u16 *path) {
	u8 *of = protocol(h, device, &PATH), *made = 0;
	u64 length = 0, name = 2, status;
	void *image = 0;
	if (!of) return ERROR(NOT_FOUND);
	while (!(of[length] == 0x7f && of[length + 1] == 0xff)) length += of[length + 2] | of[length + 3] << 8;
	while (path[name / 2 - 1]) name += 2;
	if (CALL(boot(h), POOL, 4, length + 4 + name + 4, &made)) return ERROR(NOT_FOUND);
	for (u64 n = 0; n < length; n++) made[n] = of[n];
	u8 *node = made + length;
	node[0] = 4; node[1] = 4; node[2] = (u8)(name + 4); node[3] = (u8)((name + 4) >> 8);
	for (u64 n = 0; n < name; n++) node[4 + n] = ((const u8 *)path)[n];
	u8 *end = node + 4 + name;
	end[0] = 0x7f; end[1] = 0xff; end[2] = 4; end[3] = 0;
	status = CALL(boot(h), LOAD, 0, h->image, made, (void *)0, 0ULL, &image);
	if (status) return status;
	return CALL(boot(h), START, image, (u64 *)0, (u16 **)0);
}

/* A file beside the program itself, or by its path. */
static void beside(here *h, const u16 *name, u16 *path, u64 most) {
	u8 *node = AT(u8 *, protocol(h, h->image, &LOADED), FILE_PATH);
	u64 n = 0, cut = 0;
	if (*name != '\\' && node && node[0] == 4 && node[1] == 4)
		for (const u16 *own = (const u16 *)(node + 4); own[n] && n < most / 2; n++) { path[n] = own[n]; if (own[n] == '\\') cut = n + 1; }
	for (n = 0; name[n] && cut + n < most - 1; n++) path[cut + n] = name[n];
	path[cut + n] = 0;
}

static int secure(here *h) {
	static const u16 NAME[] = {'S', 'e', 'c', 'u', 'r', 'e', 'B', 'o', 'o', 't', 0};
	static const guid GLOBAL = {0x8BE4DF61, 0x93CA, 0x11d2, {0xAA, 0x0D, 0x00, 0xE0, 0x98, 0x03, 0x2B, 0x8C}};
	u8 on = 0;
	u64 size = 1;
	return !CALL(AT(void *, h->system, RUNTIME), VARIABLE, NAME, &GLOBAL, (u32 *)0, &size, &on) && on == 1;
}

/* A first stage knows its menu by a key of its own, which the firmware does not have: another stand-in is run by it, and not by the firmware.
 * Whether that bears a signature is looked at; what is no stand-in is left to the firmware. */
static u64 second(here *h, void *file, void *device, const u16 *path) {
	const u8 *own = (const u8 *)begin;
	u8 *raw = 0;
	u64 size = MOST;
	if (CALL(boot(h), POOL, 1, (u64)MOST, &raw) || CALL(file, READ, file, &size, raw)) return ERROR(NOT_FOUND);
	u64 head = size > 0x400 ? AT(u32, raw, 0x3c) : MOST;
	if (head > 0x400) return start(h, device, path);
	for (u64 n = 0; n < 64; n++) if (raw[CODE_AT + n] != own[n]) return start(h, device, path);
	if (secure(h) && !AT(u32, raw, head + SIGNATURE + 4)) return ERROR(DENIED);
	return ((u64 API (*)(void *, void *))(raw + CODE_AT))(h->image, h->system);
}

static int blank(u8 c) { return c == ' ' || c == '\t' || c == '\r'; }

static int same(span one, span other) {
	if (one.size != other.size) return 0;
	for (u64 n = 0; n < one.size; n++) if (one.at[n] != other.at[n]) return 0;
	return 1;
}

static span plain(const char *words) {
	span s = {(u8 *)words, 0};
	while (words[s.size]) s.size++;
	return s;
}

static int begins(span line, const char *word) {
	span w = plain(word);
	return line.size >= w.size && same((span){line.at, w.size}, w);
}

static int found(span text, const char *word, u64 *at) {
	span w = plain(word);
	for (u64 n = 0; n + w.size <= text.size; n++) if (same((span){text.at + n, w.size}, w)) { *at = n + w.size; return 1; }
	return 0;
}

static span trimmed(span line) {
	while (line.size && blank(*line.at)) { line.at++; line.size--; }
	while (line.size && blank(line.at[line.size - 1])) line.size--;
	return line;
}

/* The first word of a text, or what its quotation marks hold; without them where it only begins with one. */
static span word(span text) {
	text = trimmed(text);
	u8 mark = text.size && (*text.at == '\'' || *text.at == '"') ? *text.at : 0;
	span w = {text.at + (mark ? 1 : 0), 0};
	while (w.at + w.size < text.at + text.size && (mark ? w.at[w.size] != mark : !blank(w.at[w.size]))) w.size++;
	return w;
}

static span next_line(span text, u64 *at) {
	span line = {text.at + *at, 0};
	while (*at < text.size && text.at[*at] != '\n') { (*at)++; line.size++; }
	(*at)++;
	return trimmed(line);
}

static int opens(span line, const char *what) {
	u64 length = plain(what).size;
	return begins(line, what) && line.size > length + 1 && blank(line.at[length]) && line.at[line.size - 1] == '{';
}

/* The outer entries of a menu: the one that its default means, by number, title or identity. */
static int chosen(span text, span wanted, entry *one) {
	u64 at = 0, number = 0, count = 0, depth = 0, asked = 0;
	int digits = wanted.size > 0 && wanted.size < 4, taken = 0, outer = 0, had = 0, perhaps = 0;
	entry now, first;
	for (u64 n = 0; n < wanted.size; n++) { if (wanted.at[n] < '0' || wanted.at[n] > '9') digits = 0; number = number * 10 + (wanted.at[n] - '0'); }
	while (at < text.size) {
		span line = next_line(text, &at);
		int menu = opens(line, "menuentry") || opens(line, "submenu");
		if (menu || opens(line, "function")) {
			if (!depth) {
				outer = menu;
				if (menu) {
					u64 place;
					perhaps = perhaps || asked > 0;
					now.perhaps = perhaps;
					now.menu = begins(line, "submenu");
					now.title = word((span){line.at + (begins(line, "submenu") ? 7 : 9), line.size - 10});
					now.identity = (span){line.at, 0};
					if (found(line, "--id", &place) || found(line, "$menuentry_id_option", &place))
						now.identity = word((span){line.at + place + 1, line.size > place + 2 ? line.size - place - 2 : 0});
					now.body.at = text.at + at;
				}
			}
			depth++;
		} else if (line.size == 1 && *line.at == '}') {
			if (depth) depth--;
			if (!depth && outer) {
				now.body.size = line.at - now.body.at;
				if (!had) { first = now; had = 1; }
				if (!taken && (digits ? count == number : wanted.size && (same(wanted, now.title) || same(wanted, now.identity)))) { *one = now; taken = 1; }
				count++;
				outer = 0;
			}
		} else if (!depth && begins(line, "if") && (line.size == 2 || blank(line.at[2]))) asked++;
		else if (!depth && begins(line, "fi") && (line.size == 2 || blank(line.at[2])) && asked) asked--;
	}
	if (!taken && had && !digits) { *one = first; taken = 1; }
	return taken;
}

/* What is set last, of a name; ``known``: without what a start-up script sets from saved values. */
static int setting(here *h, const char *name, span *value) {
	u64 at = 0;
	int had = 0;
	while (at < h->size) {
		span line = next_line((span){h->text, h->size}, &at);
		if (begins(line, "set ")) line = trimmed((span){line.at + 4, line.size - 4});
		span n = plain(name);
		if (line.size > n.size && begins(line, name) && line.at[n.size] == '=') {
			span v = word((span){line.at + n.size + 1, line.size - n.size - 1});
			u64 place;
			if (found(v, "$", &place)) { if (!had && found(v, "saved_entry", &place)) had = -1; continue; }
			*value = v;
			had = 1;
		}
	}
	return had;
}

static void chain(here *h, span path) {
	u16 name[512];
	u64 count = 0;
	void **handles = 0;
	void *own = AT(void *, protocol(h, h->image, &LOADED), DEVICE);
	u64 n = 0;
	for (; n < path.size && n < 511; n++) name[n] = path.at[n] == '/' ? '\\' : path.at[n];
	name[n] = 0;
	if (!opened(h, own, name)) {
		CALL(boot(h), LOCATE, 2, &FILES, (void *)0, &count, &handles);
		own = 0;
		for (n = 0; n < count && !own; n++) if (opened(h, handles[n], name)) own = handles[n];
	}
	if (!own) wait_for_somebody(h, "what it starts is not there");
	if (start(h, own, name)) wait_for_somebody(h, "what it starts is refused, or came back");
	wait_for_somebody(h, "what it started came back");
}

static int digit(u8 c) { return c >= '0' && c <= '9' ? c - '0' : c >= 'a' && c <= 'f' ? c - 'a' + 10 : c >= 'A' && c <= 'F' ? c - 'A' + 10 : -1; }

/* Whether a file system of this UUID begins on something that firmware reads: ext, Btrfs or XFS by where each keeps it. */
static int is_there(here *h, span text) {
	static const guid BLOCKS = {0x964E5B21, 0x6459, 0x11d2, {0x8E, 0x39, 0x00, 0xA0, 0xC9, 0x69, 0x72, 0x3B}};
	static const u32 PLACES[] = {0x468, 0x10020, 0x20};
	u8 uuid[16], *raw = 0;
	u64 count = 0, had = 0;
	void **handles = 0;
	for (u64 n = 0; n < text.size && had < 32; n++) {
		int d = digit(text.at[n]);
		if (d < 0) continue;
		uuid[had / 2] = had % 2 ? uuid[had / 2] | d : d << 4;
		had++;
	}
	if (had < 32 || CALL(boot(h), POOL, 4, (u64)HEAD, &raw) || CALL(boot(h), LOCATE, 2, &BLOCKS, (void *)0, &count, &handles)) return 0;
	for (u64 n = 0; n < count; n++) {
		void *blocks = protocol(h, handles[n], &BLOCKS);
		void *media = blocks ? AT(void *, blocks, MEDIA) : 0;
		if (!media || !AT(u8, media, PRESENT) || AT(u32, media, BLOCK) == 0 || HEAD % AT(u32, media, BLOCK)) continue;
		if (CALL(blocks, BLOCKS_READ, blocks, AT(u32, media, 0), 0ULL, (u64)HEAD, raw)) continue;
		for (u64 p = 0; p < 3; p++) if (same((span){raw + PLACES[p], 16}, (span){uuid, 16})) return 1;
	}
	return 0;
}

static void menu(here *h) {
	span value = {0, 0}, limit = {0, 0};
	entry one;
	u64 place;
	int named = setting(h, "default", &value);
	if (!found((span){h->text, h->size}, "menuentry", &place)) {
		if (found((span){h->text, h->size}, "configfile", &place)) wait_for_somebody(h, "its configuration lies in a file system that firmware does not read");
		wait_for_somebody(h, "its menu lists nothing");
	}
	if (setting(h, "timeout", &limit) != 1 || begins(limit, "-")) wait_for_somebody(h, "the menu has no limit");
	if (named < 0) wait_for_somebody(h, "its default is kept elsewhere");
	for (span text = {h->text, h->size};; text = one.body) {
		u64 n = 0;
		while (n < value.size && value.at[n] != '>') n++;
		if (!chosen(text, (span){value.at, n}, &one) || one.perhaps) wait_for_somebody(h, "its default is not among its entries");
		if (!one.menu) break;
		value = (span){value.at + n + 1, value.size > n ? value.size - n - 1 : 0};  /* of a menu in the menu, what stands behind */
	}
	say(h, "stand-in: begins '");
	say_span(h, one.title);
	say(h, "'\r\n");
	if (found(one.body, "root=UUID=", &place)) {
		span uuid = word((span){one.body.at + place, one.body.size - place < 36 ? one.body.size - place : 36});
		say(h, "stand-in: kernel of ");
		say_span(h, uuid);
		say(h, is_there(h, uuid) ? ", whose file system is there\r\n" : ", which firmware does not see\r\n");
		stop(h);
	}
	if (!found(one.body, "chainloader", &place)) wait_for_somebody(h, "it lists no kernel and no loader");
	span path = {one.body.at + place, 0};
	while (place + path.size < one.body.size && path.at[path.size] != '\n') path.size++;
	path = trimmed(path);
	if (path.size && *path.at == '(') while (path.size && *path.at != '/' && *path.at != '\\') { path.at++; path.size--; }
	chain(h, word(path));
}

/* One entry file: its name in small letters, and what it says of itself. */
typedef struct { span name, title, key, machine, version, program, options; } item;

static int letter(u8 c) { return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z'); }
static int number(u8 c) { return c >= '0' && c <= '9'; }

static span without(span s) {
	while (s.size && !letter(*s.at) && !number(*s.at) && *s.at != '.' && *s.at != '~' && *s.at != '^' && *s.at != '-') { s.at++; s.size--; }
	return s;
}

static span part(span *s, int digits) {
	span p = {s->at, 0};
	while (p.size < s->size && (digits ? number(p.at[p.size]) : letter(p.at[p.size]))) p.size++;
	s->at += p.size;
	s->size -= p.size;
	return p;
}

static int ordered(span a, span b) {
	u64 n = 0;
	while (n < a.size && n < b.size && a.at[n] == b.at[n]) n++;
	if (n == a.size || n == b.size) return (n < a.size) - (n < b.size);
	return a.at[n] < b.at[n] ? -1 : 1;
}

/* Whether a version is earlier (-1), the same or later (1): the version format specification. */
static int compared(span a, span b) {
	for (;;) {
		a = without(a);
		b = without(b);
		int ta = a.size && *a.at == '~', tb = b.size && *b.at == '~';
		if (ta || tb) {
			if (ta != tb) return ta ? -1 : 1;
			a.at++; a.size--; b.at++; b.size--;
			continue;
		}
		if (!a.size || !b.size) return (a.size > 0) - (b.size > 0);
		int marked = 0;
		for (u64 m = 0; m < 3 && !marked; m++) {
			u8 mark = "-^."[m];
			if (*a.at != mark && *b.at != mark) continue;
			if (*a.at != *b.at) return *a.at == mark ? -1 : 1;
			a.at++; a.size--; b.at++; b.size--;
			marked = 1;
		}
		if (marked) continue;
		int digits = number(*a.at) || number(*b.at), way;
		span pa = part(&a, digits), pb = part(&b, digits);
		if (digits) {
			int none = !pa.size, other = !pb.size;
			while (pa.size && *pa.at == '0') { pa.at++; pa.size--; }
			while (pb.size && *pb.at == '0') { pb.at++; pb.size--; }
			if (none && pb.size) return -1;
			if (other && pa.size) return 1;
			way = pa.size != pb.size ? (pa.size < pb.size ? -1 : 1) : ordered(pa, pb);
		} else way = ordered(pa, pb);
		if (way) return way;
	}
}

static int before(const item *one, const item *other) {
	int way;
	if (!one->key.size != !other->key.size) return one->key.size ? -1 : 1;
	if (one->key.size) {
		way = ordered(one->key, other->key);
		if (!way) way = ordered(one->machine, other->machine);
		if (!way) way = -compared(one->version, other->version);
		if (way) return way;
	}
	return -compared(one->name, other->name);
}

static int matches(span pattern, span name) {
	if (!pattern.size) return !name.size;
	if (*pattern.at == '*') {
		for (u64 n = 0; n <= name.size; n++)
			if (matches((span){pattern.at + 1, pattern.size - 1}, (span){name.at + n, name.size - n})) return 1;
		return 0;
	}
	if (!name.size || (*pattern.at != '?' && *pattern.at != *name.at)) return 0;
	return matches((span){pattern.at + 1, pattern.size - 1}, (span){name.at + 1, name.size - 1});
}

static void key_of(span line, const char *key, span *value) {
	u64 length = plain(key).size;
	if (line.size > length + 1 && begins(line, key) && blank(line.at[length])) *value = trimmed((span){line.at + length, line.size - length});
}

static void small(span s) { for (u64 n = 0; n < s.size; n++) if (s.at[n] >= 'A' && s.at[n] <= 'Z') s.at[n] += 32; }

static void wide(span s, u16 *name) {
	u64 n = 0, had = 0;
	if (s.size && *s.at != '/' && *s.at != '\\') name[had++] = '\\';
	for (; n < s.size && had < 511; n++) name[had++] = s.at[n] == '/' ? '\\' : s.at[n];
	name[had] = 0;
}

static int item_of(here *h, void *device, const u16 *path, const u16 *name, item *one) {
	void *file = opened(h, device, path);
	u8 *text = 0;
	u64 size = 16384, at = 0, n = 0;
	u16 program[512];
	static const item NONE;
	*one = NONE;
	if (!file || CALL(boot(h), POOL, 4, 16384ULL + 256, &text) || CALL(file, READ, file, &size, text)) return 0;
	while (at < size) {
		span line = next_line((span){text, size}, &at);
		key_of(line, "title", &one->title);
		key_of(line, "sort-key", &one->key);
		key_of(line, "machine-id", &one->machine);
		key_of(line, "version", &one->version);
		key_of(line, "linux", &one->program);
		if (!one->program.size) key_of(line, "efi", &one->program);
		key_of(line, "options", &one->options);
	}
	for (; name[n] && n < 255; n++) text[16384 + n] = name[n];
	one->name = (span){text + 16384, n};
	small(one->name);
	wide(one->program, program);
	return one->program.size && opened(h, device, program);
}

static void entries(here *h, void *device) {
	static const u16 FOLDER[] = {'\\', 'l', 'o', 'a', 'd', 'e', 'r', '\\', 'e', 'n', 't', 'r', 'i', 'e', 's', 0};
	static const char NT[] = "\\EFI\\Microsoft\\Boot\\bootmgfw.efi";
	span wanted = {0, 0}, limit = {0, 0};
	item one, best, named;
	int had = 0, found_named = 0;
	u64 at = 0, place;
	u16 name[512];
	u8 *info = 0;
	void *folder = opened(h, device, FOLDER);
	while (at < h->size) {
		span line = next_line((span){h->text, h->size}, &at);
		key_of(line, "default", &wanted);
		key_of(line, "timeout", &limit);
	}
	small(wanted);
	while (folder && !CALL(boot(h), POOL, 4, 1024ULL, &info)) {
		u64 size = 1024, n = 0, cut = sizeof(FOLDER) / 2 - 1;
		if (CALL(folder, READ, folder, &size, info) || !size) break;
		const u16 *own = (const u16 *)(info + 80);
		while (own[n]) n++;
		span conf = plain(".conf");
		int ends = n > conf.size && n < 200 && !(AT(u64, info, 72) & 0x10);
		for (u64 m = 0; ends && m < conf.size; m++) ends = (own[n - conf.size + m] | (m ? 32 : 0)) == conf.at[m];
		if (!ends) continue;
		for (u64 m = 0; m < cut; m++) name[m] = FOLDER[m];
		name[cut++] = '\\';
		for (u64 m = 0; m <= n; m++) name[cut + m] = own[m];
		if (!item_of(h, device, name, own, &one)) continue;
		if (!had || before(&one, &best) < 0) { best = one; had = 1; }
		if (wanted.size && matches(wanted, one.name) && (!found_named || before(&one, &named) < 0)) { named = one; found_named = 1; }
	}
	if (!had) {
		span nt = plain(NT);
		wide(nt, name);
		if (opened(h, device, name)) { say(h, "stand-in: begins 'the NT family'\r\n"); chain(h, nt); }
		wait_for_somebody(h, "none of its entry files leads to a kernel that is there");
	}
	if (same(limit, plain("menu-force"))) wait_for_somebody(h, "the menu has no limit");
	if (wanted.size && *wanted.at == '@') wait_for_somebody(h, "its default is kept elsewhere");
	if (found_named) best = named;
	say(h, "stand-in: begins '");
	say_span(h, best.title);
	say(h, "'\r\n");
	if (found(best.options, "root=UUID=", &place)) {
		span uuid = word((span){best.options.at + place, best.options.size - place < 36 ? best.options.size - place : 36});
		if (!is_there(h, uuid)) { say(h, "stand-in: its kernel's root is not there\r\n"); }
	}
	wide(best.program, name);
	if (start(h, device, name)) wait_for_somebody(h, "what it starts is refused, or came back");
	wait_for_somebody(h, "what it started came back");
}

u64 API work(void *image, void *system) {
	here h = {system, image, 0, MOST};
	const u16 *who = parameters + 1, *name = who;
	u16 path[512];
	while (*name++) ;
	beside(&h, name, path, 512);
	void *device = AT(void *, protocol(&h, image, &LOADED), DEVICE);
	say(&h, "stand-in: ");
	print(&h, who);
	say(&h, "\r\n");
	void *file = opened(&h, device, path);
	if (parameters[0] == 's') {
		if (!file) return ERROR(NOT_FOUND);
		return second(&h, file, device, path);
	}
	if (!file) {
		if (parameters[0] == 'e') { h.size = 0; entries(&h, device); }
		if (parameters[0] == 'n') wait_for_somebody(&h, "its boot data is not there");
		wait_for_somebody(&h, "it has no configuration");
	}
	if (parameters[0] == 'n') { say(&h, "stand-in: its boot data is there\r\n"); stop(&h); }
	if (CALL(boot(&h), POOL, 4, (u64)MOST, &h.text) || CALL(file, READ, file, &h.size, h.text)) wait_for_somebody(&h, "its configuration cannot be read");
	if (parameters[0] == 'e') entries(&h, device);
	menu(&h);
	return 0;
}
