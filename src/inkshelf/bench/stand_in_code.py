"""What stand-ins for loaders do, as bytes made by tools/stand_in.py from tools/stand_in.c (x86-64) and start_code.s; run wherever they are put."""

from __future__ import annotations

import base64
import zlib

SOURCE = "3f140dafca9f12bdc20cead754d068d549ce4e22d45d27967895f1caf55d24c7"
"""SHA-256 of the sources that it was made from, one behind the other."""
MAGIC = 0x4B534B49
"""What starts from a first sector bears it, at 0x58."""
SECTOR_CODE = {
    "linux": zlib.decompress(
        base64.b85decode(
            b"c-niN#6Wc*z`(@7(176oGCa_Cqwhf9g*^;4K`$5>VjJI<F!XK{V0@tlq(T_BI7J1W6)qA?YqX1K@bnJ$E@g{)1u~#_+ir#zOboAi*0dZbVcYeC`Q7WUhj+2C?O;%N|LaR}Nn&1#Zf2g9LS{*^LUMjlszPS5LSBA}LU~3ih*P4Flb@emYz<<SCju4mauIYp0H~Hb7X"
        )
    ),
    "nt": zlib.decompress(
        base64.b85decode(
            b"c-niN#6Wc*z`(@7(176oGCa_Cqwhf9g*^;4K`$5>VjJI<F!XK{V0_^Lr1mlHWMTNm(oo9Yd`#fcx7Rvp-7Xwyooz7;$J@df7=bE67`8Y?1)UWx5=?8fi)irl4)!i(i+TmJqIcU}h8Ii>uX)zA94KMi^@I7{>#v7*v9Rr6P<a3AOL0kJUW#sJo|QsgzCvPhNoHB9LRo%JX>O_lP^ze;*jgd8M4>z}v!s}p3*uG)(hf%U"
        )
    ),
    "started": zlib.decompress(
        base64.b85decode(
            b"c-ng%#6WfMnva3O(>vH3#{Xq_pzlWCfxZiS7;1uEFfhb6zAa(s-6p{Jf{EcZ&zhD4C2YHXFu!~K_3$nhwjB%#?|*$^7$^V$(LWt^"
        )
    ),
}
"""For a BIOS (16 bits), by whose first sector it is; ``started``: of what that one reads and starts."""
CODE = zlib.decompress(
    base64.b85decode(
        b"c-qA|ZFCe>meomzbV8E~N-!Wg1=Fs{C`{TRZdw{i$Ikd#D^3&;_7H_gx=Cw3u)B(YMyH+b-btmX8OK4FbJlZKJ>!gLmfg`=7r}|xA(#(m7DN1ikx?QFRNDjs"
        b"NJvmpd+&SINf7t!{#(wWtKPdG?|$F=D#@Bz9H)#q6Xg*@XyJFw<RTpD9Lyo_>(N0=moq_J`{jA~7?x(V+cV1S+46K^BvPk#SvZaZgf60tItPeyfEartt@#Eg"
        b"pCih<T|Q-$C<lGY8U1gDVG!jb=YY?3CR9L_y+k=9Dn0rOu<sm*C-`UgD*au{eaaXm__I$rtG_~Nfb~Z{rQcV4pvtv3R78}I@7CNFAlK^vuI%+`<(Bw>lv|}_"
        b"QfX4zJ|&TQ-<ep$jz3EPTH@h%mg#eVAfAw}_ZbOdyqh`>n;<LELWVv*PC+(?FCP<?M3>%y0s!@FZ#(CSjNT|sgWm;m-X406-8oX}Or)~l$2meQ-IdNhV%d9_"
        b"X3Zn6{_u4b{7!dXWh^1(ddqsGJfG2-`dt4fcFb9#42xhNQOyNKoFhKV7*R7s(1f^p!&gPz*}0;2zeTc%N`|O>lsZbE?<H>nfxt#zQyT%3kMtNY6qO@Hc^@PP"
        b"R9#^wIEc2~;!KFHf$$tq(|xTzj{&AT6L&;fuQnd%w}FL3HJhkEv4QJc2c+vg?biJGh?E`GOWZjrTXgV9RQI^&v}A!-Q=j-WYd$GHK$L7S4pDw$>jKSvu3iuS"
        b"OsCH^%s-Q;jP*&@SVFeLt~49=<asH+qTQNNQD)7S^TF(?_bU0Fef-XZx45?}4VjaO_FB3;_j^`)R;(n-e=R5R5jhvaE#3!0rW)G8qhI-y58XeIZ><DVYiq&%"
        b"$-A``rJPTb91tT%#NsphpO|;ESrpvrGrC3B`S6F}q8|V!>4JNiWW6mzKE1}Lt+WuW${<G11C)WM#`A#Z!Q^AWV9f(;(Y12I%*(;fAeBDn5=4VmVG+T*OTggN"
        b"?9}E3m*~lV=d&CJTQAXH`-ZM(0}PRhKh;A>t5kACS!rAI0A>`}xv)Lk{X;3=T_f28JsC9|6FdWemTpqqgV`pKr3UOuh5Sx?c4X{_a@Ot|K!V&0C}PEU>TsaP"
        b"S^*j8S>;T4?iaPv1=n$$2W0<{n)1?e=V1~(SwfV>4x)G+0#W5c;*uN!A3chE)F<+Zw!$G$0e#AVPw5g-rz5D=?M#iUecIzzpBDN?-|-D1L0SzE)$P!2ba@bC"
        b">~}=D$h4)qK=te$5%-d%@-M22FW#-SF0uG9%YOe2nox8U(VX4~#6;;KTEV09Ko&)G6pBinBVSZn9X5UVYrs_{hmEMMj{JCnr~sF)iy!9Ww_;vu1xtZS?*p_8"
        b"hvpnk&WFt^#n1f-tyrZzVN3Fe7Ts5(97=oDv$hM&Q3e)P&Y(Sth<fKbQG*xb>FsEb=sp2z6S`+W&LXN8PLJ*@>{^cbr4?)w5andP{swS{bQcx7Lj<vHB%YA1"
        b"5NLN0<tR})0Y@;ZZIl~8juX}DKr`F!_v}XL9_D<?q08_}5N}WV!2C5`o|Vo%pE3+yUEv&|o<zY3Jq&*GskMk}ue5<g#|5bg;?B+yC?H<V*RQ<iiHzm6WJQxD"
        b"sRgj{FR;wQ<*L-x(bFEN@>!d*fmrTK6-ASOPm~KDrH>pq?dkl?T0YVZb;sK-x&=>8pSKO3#OO|KqsL@B6UhP##!V#}LU@xCEZlA@s6>rO)be#kb$MFvf%_0o"
        b")NZ)>dX9ryu{(nzE}U~cawuO%Bkw*DOa`n(2#a##=`suTLJ8J=VDU?`q{fjSZbQoyLbP&-tu8*KmyTmXbs`Q_r>@jNqHeTdQk{)FnZ-#b)hF$7Lprt#1#}Kv"
        b"xB&h<RPEV~OLaELVn|>^H2=MYY4h(AA;N5;memM3L}l}+WxMl1<~{f$THe#oj!rExdA?}ETIJH^gUKx{)XG?(K`rw^&Cm*#Uys>nrXofTQJ3kDUAi)Oc(N;x"
        b"qyHjF3owV|a31zV-1B}a6@qKM^D^Og#k`EpL0e8g*-k87sn0x-)_E2~9`wA0b`9JSZCy0ZNz;7McQR6E(jKDDxl3DdlMOv2Oz{wOD>(S)M4jazu0KmNJnf6^"
        b"<!y^|2{fuNiRELDR%LCwE5ip5s7_XE+rybY*E>=k;7u!UlQOJ001Wk5bAM`BSwMgXZP*0Wl{P%*UT5FKR0a{8S7JQf%bBi)V}-PQ*gOX?wOQ~y-Ji}v%z|_+"
        b"21Lx%)xezM(?Bw+>k%<EZbHkkbt|1LpNg=Z>{-UKVtC%O!l!%#PWX`3!~8&x*8%n>u2i@P&3hf^gMvn&7udDx!N|q69{!GQ2&(|p2)q8z;M~;vmr0a%sd8=#"
        b"J5j51*!i8A(DP@rSUpY|03&@B^7uT>qYJ3d6Rq^;*Kiy#`MO&FS32vQf>uUHB6tEg3}F3NxKx+u7a-y>u0}ARe98yTft5%~o;sOt#e8Z3qc0;0cvFE&1Hm_P"
        b"El|&(RkXekJM}(MYjEUC3(TG}7c`$WEpic>%A43!0v=^WCAOB-2XLOKd<pV^W?l$>{p*W32_@u*tBIPKPG#p%rSpq)BIn-+M~1KExO6g?OeV9q#Ni14ki>`N"
        b"TUm*t?C(++59%)=W91#-E#*+yUFyw)K4V|%&!B%~Hqgh1r1>BTmFI~5673+Rzo!t$M0nqX?*Mv*mW1@gSJrM*_D7E&iJpRbH$G=mQDp2v>H977B4dkM@*-n5"
        b"gSprgIM4-U63gZ3uE^MvauTBrnm{YoSP6;_wWw&eA#6y6`g6uaYjV@RnvXUw)Soo>3z-X4{E3ec#p-~r3o<RmMi41`QeI38NOB$gVshkr+Bt;JM1Ji&h#}eC"
        b"PfDv&0{q^ang+kiQ-7gD1OIG-L@!#R{YG*DP`ejO*F?q^N`G)aC|!*j{?_x_BKIOWKV|d0wlJ0HdF{b67{yXBJ1mmgQ%-MLuN;l`8p&gDJ{^Pi!xRK&5SbQK"
        b"b~g*5WG<)!qadAj-8q}=U?=AYSgM?VuA69J4gIb2Xz~+uCOF_z_Ub$62F!?ip%gzVD*Le{=XoNxmB==qu@{a@4H2amT{i<a=MmiOO`WQW_o0pY<oQT(OY$%{"
        b"6ZZJnPv{KZC+DE@@qOrHn2TV<?&g2?BY-7eqi%=G#KF`wI=JlD>&|1D=3~BbT9pNwZp$G>ijc{+y(IcX5eK7X*<NV|^fe0%po1A8#Uq$caQvM_{V7zamGHl+"
        b"NS{r)$@dWT@e-nj%K!k+sxtl3R}@eRfN}s30Kl_~=x@?_P@c;wA>@?01mHGi82$N6II+MK=vf7s1X=S5q&ZH%&>Bx(4X-QGi9MQwiM@=vMO0#r2(}@3wwceT"
        b"&F6Od^g62XXSIIM1+)m%TsV|Yd)46|gN$_2tJd4jVFqob%%IIcQH0bIl@pL-diHq+V~lYN#9Ie4=|iAv>JLO^LJ)Nu6$0}g$0*Tt6v_%jauLk*f=1qsjLm7W"
        b")3P2-2o-JC`IypwbtWpE;E+~F2?taTK2}64S0)=J;C*70*nIgY!N<ok0TasXIz&T7*3mSD6RI(THXHW}Y<TOY=<gyr9JG$(V|y|&%NiWeJ`&g^E2}vv3-2Ol"
        b"iMCX|3Y1%R1_#+r-&3PKaDK~d(X}@`)2B8P(m7-$(esw*F$>J)LvZhb_Ey|aED6z~$A|dXDtb;L1FugvIx$ea{2SHxl=IK_IEOk<WO;KA!i8s6j@NatoZt2i"
        b"_SRnX`8LNe)<$jVX9ZArRr{R*#a@90DLTr_rvp7PM;=tz8mP&tSFVOG62d7AZdBnRR$!nZYyf9D`=EPjrH5y+`FXPs^w&BZFMt}mVLIl{y^N_`kCxlWmD8HZ"
        b"$6m^qVs+1i)mdD9+wgJ*v-d_?*CEeThUYQvrxy2_7O$dACBTC^S&vb-nU7{#81ZKPsxvIIUd1C6FDs`ue1oC3AKeCWmg5hEX~Eana~?a3)fBN*9M*t1fy7$D"
        b"=LoI20@}}@`w@Ek70^Kj{S!ikE1<&+`f@(ABhfFRybxW4L^~X#IGD+^r;-#zkkP?2j8PfxmLnsMYFrRN=x%@}b*MoQcOF%&tj3N|AAq~)ENH>NQnI&g&7f|9"
        b"X#5+|+UYwa^efa#Td5yKD0lNK+PB_<K<&}Dv75C_k9I;@u|2rxramTW2U9|Qor+6CEDOg66fvy>ANwuG+(aYjhI6#5^D)f#%D5qFJJ^vBLiso%@S-v<DyQ|1"
        b"i&)UM%%CwPDu$?>I`?u_{0r#;tOPGmo?DsJAV<WM1H(kWVVI80iy;{ulyPJ#<MrRgSZQ!LQkh=ml1Dk6`~(IV5KVpnl10K~eP#%g73)?yjm+ZpyWw>A1=a34"
        b"OI4GugY5V$j|~WSj^MYF<AhBTua3}3;sgLww*d3mJTNaELLMEo0HO-?Qpn2o$VsXQ4>Tht!&^tNNqvER8*e{a={W#I%F3mqR9op9Vj7ZYuT#C#ImwPi7XN`2"
        b"7i?H$VFwBpw!f5C;?hbJZR>d^*G3a<GiAD!x){Q32cYS1GXblxNYnjq<6C-2arZ6<s^sb>{GG%4+#xn<D&4wzhW0E}FK8Zmjd|!glS#eBj4OERuG15<&Jo>C"
        b"drIj^JF779Bja>!odHA6`#86*!pU{NXJw^x2-@2!q8z+`IW{;HQ`yFB1o2*oPbhw94GvOCRCZ8{Kxe#dCf@2#;_W8ji9RvT$zKuex~pcQ`$q@_E-k3a$NIIy"
        b"_(c(MxEi7oLAnjU{**>sR=Fgy#bT9z0O{yey&h|z63jJ^EXACaW(B;8myW+cI$A?`Z-43#(X3bDS3NyYsd}q8N-$T{>@$5&jg13U%M73bnojHisgDCaW(F{Q"
        b"J_gA!rEsOkPE(USI~@f+P1Mze`Wxq%ee-DyAJ>1xtazWDqUhVFfN9Krs!Pa3=?SP=#ZX`Z(a|s;UytC4+ark^d@N@=iV>rf*rLIr8`BnrGG9W^`we}*iJSDJ"
        b"M7r?P7@xe2zLksJlM$iwX+$Yw#wvQn|A;)rf(+a8recg_hB)Juq+zHbH+gCtK`nXZ?QTnXSw{v3eL}jL>4RDx0Cy!<=h7Mo-LD*2nv!?NXf@?3S;ORL96$$Q"
        b"{14@^P{E}s{%UL=f|(9RHJOkG1YHp6pd2i6VYK6x9jF`G#hXg<v4c6RgwX)he#T|683)BM`jfj63N^?H7Wd1%6Gr;iX^bY@X{jxJaXR%z6TOf8fw@>Ogc5|C"
        b"G^hT^Hj_JTldfU5Pd8th`IA1#0iqXxDD^s8Uofp-G--W0;DKfb1JR{(L1Di<-8AWM&f^D$!!%Vn7H(SUGdcM7yxHk?I1X`aJ!(FwdEsfpVEwlg##s_fc{_-p"
        b"bdj_Oa45kAD_5<sz|IYmr|!{d{aB1Oq1pr?gKS`+J9HY^)8HM;!>6n~EP-WmfWB`t8)xY`8#CTbAc4_~-wBxCu>ROsZ@m^dzI1{XJ3ElngJwyUu?)d`{4n3v"
        b"ic64lG(DuI=hhfA0M5zjVHPgNtb(tuh`5E@aW>qSI_iTd6hG5IOlF7*n;-b+V1ONP4)8k@qQWL%a|-vlK9D?=2fx#ruaW-9Snh7xaVyv~4fiOr9WFZxTarh%"
        b"Qu174=_TewpL!F&ZO~5~u(OLwJ^}?37TfTo6^>S%P3m#t$CeBE(Lv)Fj;$uH7!xu2J!{%E)DvJ@+}D3~0$utcepk~9&}78CIMDikN`ILeRK6Xc9XS)bzht}6"
        b"+Y0`Da(BxKcE7?Ks54O&AM*0v;iMf_@Xp8S)CV1~9=+8(K?YaX=}a#X+M$lZ?(A*zIvxX?;I6*^82V5iiH=%e`*A|AWpL3f%+?=0j;;F)V}u=pHNb)erXpB^"
        b"^gYLDOw32eB76K(K{aJyA+9gOHv;c*=zyu~k&{-CvP~!yJBAs9#5bfmb?b5Zw<;PmH0WWJq2J^#OxR4tJji4w_s|P6hSWMddAqsT=ri6)uA?{5OBOzU36LU7"
        b"p5WtOAuHJOML#sCx!l+wN4hP1>=qie$fvjqMz(D<fa1S458Nm!9aIpUDqc0G3RaGvcWlS$B9CL%pi)yl0D0Bid>S^}!P>|LKgG2{6tS(x;q^re4kqxjhhu2)"
        b"`W83A#vDme3S8hI4i0Vw>2iTE$_6GFFSnbcARP%^EXMix@$b^0<o~Ea4PFZ-#fO_rtL1+d|LsZfJ0``4TSlr5C$+U$)!9(AmBtXxgODt%^=m$-F&$rFFdt0F"
        b"N-?%Fu@Q4pylwQUe{z&j&P7Ut<tAiq4@+D6p(o0jsZmWoUlqisO@!WGkD5Uny_6x%<aa)vp@$g5*!L0H@H*;~a~RnS>jc?LCXVqn4X`xn-<#Vy-NqD@a)|*&"
        b"Bl!`|(axddet4R$!)awA%wm7!rZ_VGpJugWS1#r)<{fYu4L%G53q$HPz1C~4UoqGH<~kjMhtOdxuE0NoY_*52KD*3=6G$E0R2E){g$e%X)NHDXlndRR)<U>h"
        b"O^n>73t+lT%A<w>(6=e{Zd#(zoe}m~T(IDW(Z7Uq@S~K`D;5u;oTFyslw+ky_ls)WDWe@Q`QjM*<N5SKb2FJ=%(kk3nq)(Lnc28X%%Q$MNt@Kh47PkD$wI9R"
        b"J0-nEY6V9#n5n8Q6C!ludNqx-LFV14X_P}8i%IkPdF6b6+h_E^+gaSOTa#X%oO%uVKsQ$qR$uCIT7pYoV-m(;@XGo}eCI2Nbz5?B9@T?7TU47WuBIwt!#@tj"
        b"(0?>Y`5ezQ`S7u!5!R6>Wd?EKf?YziSvGtrC$4wHv*}jE&F2#BUJHy<(Dh32k2{j1L|-^ar(Z11@d4?YNLi7575x*c-CZNu=y%Nh@+rM?aN<()7nJg;eR$1S"
        b"^WfUaKLUpRlE68*aP204-CBQ>6xzatrP`*tg~6uV1a65Cl!TVrpcI~w%eB<kO1K7iND2$Vu+Y>j2~xd3<o^y>$RCiy{<@om=8&+yw$U#<RJ;C>%klhmQy_Kz"
        b"K&{*$aZ<3+-z-bqqV>&90a!^5elFY`k`_MV-@-N4uCEU^`4<N3xJ~|0IN038H3XaF&740F<eE21uo0dj|3m%_!KScqBgiP+vqA{eHU=BE+z6^PH8=T%<^V_%"
        b"7O2ufAlTp!3l09-y09QM3$?-{{!o*@0n|f*!={>z{w8^0pgFYO&mm7-3iY*U2%#a^7?e0<XljB~kN7uAg1;f`Z=vK@O2&nno28{ISNgn5r$CVlJO4&7Bw$=-"
        b"Y>@wEp{2e#?59!-;Vogw-#8(p2@bBW2XLsdr8eXj>YDwGLD-LQ<o^(|t*e!4FLxyP##9LHAKV~^YSF6S67DkM^r;BAj0n8jgq$DpLp0RZQR}e~V`wP-cThD1"
        b"LD*mu_+YAf)Dc%IL>VIw>WhY8Sfcw7B^$VfTv&bx_ql-Fw4SQ55JSf?A;{Wb-C7nlTrlu$=OO#r#^$CC6JY{^O)-QSArMB~`uf^nQ$urYoj-&YOpB350SX!-"
        b"3?Z<H|6Yt<w<h1x&w8j&0(44&-N(53YwmgOAL<5X{=&t*&=(9X;r^fh)l~l2S5p;SA8HOa2c((`h=UpohQ<wnmPMF^{~JBmz%_HVTpj1<La_34O`HU8L3j%T"
        b"y!OZ!>bt)lnECq|+~D@io3<{8{q>v-7=Eq-D4PL$>c3w#t;$)}IBA~+-?G<>&TH2^^en8GvGsogen;O!"
    )
)
