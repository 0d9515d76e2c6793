# Stand-ins for what a BIOS runs: the code of a first sector, of either family; what each of them starts. Each says its words (at a fixed place,
# up to a zero) on the first serial port; then it goes on, or switches the machine off (an ordinary machine ignores that, and waits).
# Made into bytes by tools/stand_in.py. SIDE: 0 of the Linux family (reads its core by the LBA at 0x5C of itself), 1 of the NT family (reads
# the first sector of the active volume), 2 what was read: it says its words, and stops. INT 13h, function 42h, is the BIOS's own.
.code16
.set WORDS, 0x110
.set READ_TO, 0x8000
begin:
	jmp	entry
	.org	0x54
.if SIDE == 2
entry:	jmp	go
	.org	0x58
	.long	MAGIC
.else
packet:	.byte	16, 0
	.word	2
	.word	READ_TO, 0
where:	.quad	0
entry:
.endif
	.org	0x64
go:	cli
	xorw	%ax, %ax
	movw	%ax, %ds
	movw	%ax, %es
	movw	%ax, %ss
	movw	$0x7c00, %sp
	pushw	%dx		# the drive's number is in its lower half
	call	here
here:	popw	%bp
	subw	$(here - begin), %bp
	leaw	WORDS(%bp), %si
	call	say
.if SIDE == 2
	jmp	stop
.else
.if SIDE == 1
	leaw	0x1be(%bp), %si
	movw	$4, %cx
next:	testb	$0x80, (%si)
	jnz	active
	addw	$16, %si
	loop	next
	jmp	lost
active:	movl	8(%si), %eax
	movl	%eax, (where - begin)(%bp)
	movw	$1, (packet - begin + 2)(%bp)
.endif
	leaw	(packet - begin)(%bp), %si
	movb	$0x42, %ah
	popw	%dx
	pushw	%dx
	int	$0x13
	jc	lost
	cmpl	$MAGIC, READ_TO + 0x58
	jne	lost
	popw	%dx
	ljmp	$0, $READ_TO
lost:	leaw	(none - begin)(%bp), %si
	call	say
	jmp	stop
.endif
say:	lodsb
	testb	%al, %al
	jz	said
	movw	$0x3f8, %dx
	outb	%al, %dx
	jmp	say
said:	ret
stop:	movw	$0x604, %dx
	movw	$0x2000, %ax
	outw	%ax, %dx
	cli
	hlt
.if SIDE == 0
none:	.asciz	"stand-in: its core is not where it looks; it waits\r\n"
.elseif SIDE == 1
none:	.asciz	"stand-in: no active volume starts; it waits\r\n"
.endif
	.org	WORDS
