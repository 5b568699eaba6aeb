#!/bin/sh
# Where the program itself runs, use that, and nothing else: fresh-tally take / -o NAME.tally.json
# This is for where it doesn't: it packs what is harmless by kind for `fresh-tally take ARCHIVE`.
#   sh kit.sh [-o FILE] [--root DIR] [--list] [--all-dates] [--pictures]
# -o: a new file, or `-`. --list: only shows. --all-dates: when each Debian package changed.
export LC_ALL=C && set -uCf && umask 077 && unset CDPATH
# What is taken whole, by name, as link, or only what a menu shows; whose; a folder; patterns in it.
lists() {
    cat <<'END'
@LISTS@
all release etc os-release debian_version alpine-release fedora-release slackware-version
all sessions usr bin/start* bin/*-session bin/*-session-* lib/systemd/*/* \
    lib/os-release bin/freebsd-version lib/dinit.d/* local/share/met*/* \
    local/share/mime/[as]*s* local/share/glib-2.0/schemas/*[el]
all looks usr/share mime/aliases mime/subclasses metainfo/*.xml appdata/*.xml *-session/sessions/* \
    gnome-shell/modes/* glib-2.0/schemas/*.override xfwm4/defaults glib-2.0/schemas/*.gschema.xml \
    plasma/look-and-feel/* plasma/layout-templates/* lxqt/*.conf lxpanel/profile/* \
    mate-panel/layouts/* budgie-desktop/* desktop-base/* wallpapers/*/metadata.* backgrounds/*.xml \
    themes/*/index.theme icons/*/index.theme distro-info/[du]*n*.csv
all-dates packages usr/share/doc */changelog.Debian*.gz */changelog.gz
pictures looks usr/share backgrounds/* wallpapers/* pixmaps/* icons/*/apps/*
name programs usr bin/* sbin/* games/* local/bin/* local/sbin/* libexec/* lib/*.so* lib64/*.so* \
    lib/modules/*/kernel/fs/* lib/modules/*/modules.* lib/cups/*
name looks usr/share backgrounds/* wallpapers/* fonts/* lxqt/*/* pixmaps/*
name startup etc systemd/*.service systemd/*.timer systemd/*.socket init.d/* rc.d/rc.*
entry menu usr share/applications/* local/share/applications/* share/*sessions/* local/share/*ss*/*
entry menu var/lib/snapd/desktop applications/*.desktop
link startup etc systemd/* alternatives/* rc?.d/* runlevels/* runit/* localtime os-release
END
}
say() { printf 'kit: %s\n' "$*" | tr '\001-\011\013-\037\177' '?' >&2; }
fail() { say "$2" && exit "$1"; }
root=/ out='' show='' also=all most=0 raw='' pack=cat IFS=' ' nl='
'
while [ $# -gt 0 ]; do
    [ $# -gt 1 ] || case $1 in -o | --root) fail 2 "$1 needs a value" ;; esac
    case $1 in
        -o) out=$2 && shift ;;
        --root) root=$2 && shift ;;
        --list) show=yes ;;
        --all-dates | --pictures) also="$also ${1#--}" ;;
        *) fail 2 "no option $1: the first lines of this script tell all" ;;
    esac
    shift
done
[ "$out" ] || { out=tally-kit.tar && command -v gzip >/dev/null && out=tally-kit.tar.gz; }
case $out in /* | -) ;; *) out=$(pwd)/$out ;; esac && case $out in *gz) pack=gzip ;; esac
cd -- "$root" 2>/dev/null && here=$(pwd -P) || fail 3 "can't enter $root"
work=$(mktemp -d "${TMPDIR:-/tmp}/kit.XXXXXX") && mkdir "$work/notes" || fail 3 "can't write notes"
trap 'rm -rf "$work"' EXIT && trap 'exit 130' INT TERM HUP PIPE
# Runs find with these tests for each line of these kinds; nothing is looked for behind a link.
each() {
    kinds=$1 tests=$2
    lists | while read kind _ base patterns; do # a backslash goes on in the next line
        case " $kinds " in *" $kind "*) ;; *) continue ;; esac
        [ "$(cd "./$base" 2>/dev/null && pwd -P)" = "${here%/}/$base" ] || continue
        set --
        for pattern in $patterns; do set -- "$@" -o -path "./$base/$pattern"; done
        shift
        find -P "./$base" -type d -name files -prune -o \( "$@" \) $tests
    done
}
! tar --version 2>/dev/null | grep -q GNU || most=1 raw=--no-unquote # 1: a file changed meanwhile
# Files below 1 GiB, which others may read unless root asks, and links; no line breaks in names.
odd="! -path *$nl*" good='-type l -o -type f -size -2097152 -perm -004'
[ "$(id -u)" != 0 ] || good=${good% -perm*}
errors=$({
    each "$also" "! -type d ( $good ) $odd -print" >"$work/list"
    each "$also" "! -type d ! ( ( $good ) $odd ) -print0" >"$work/notes/kit-left-out"
    each "link name" "-type l ! -name *@[!t]* $odd -print" >>"$work/list"
    for link in bin sbin lib lib64; do [ ! -L "$link" ] || echo "./$link"; done >>"$work/list"
    printf %s 'FNR == 1 { printf "%c%s\n", 0, FILENAME } sub(/^Exec *= */, "") { line = "Exec="
        for (i = 1; i <= NF; i++) if ((line ~ /=$/ && $i != "env" || $i ~ /^\/(usr|s?bin)\//) &&
            $i !~ /=/) line = line $i " "; print line; next } /^\[|^X-Flatpak|^X-Snap/
    /^((Generic)?Name|DesktopN.*|Type|Categories|Mime.*|NoD.*|Hidden|(Only|Not)S.*|TryE.*|In.*) *=/
    ' >"$work/awk"
    each entry "${good#*-o} $odd -exec awk -f $work/awk {} +" >"$work/notes/kit-entries"
    each name '-type f ! -name *@?* -print0' >"$work/notes/kit-names"
} 2>&1)
case $errors in *"No space"* | *quota* | *"rite error"* | *awk:*) fail 3 "can't write notes" ;; esac
[ -s "$work/list" ] || fail 3 "found nothing to take in $root"
[ -z "$show" ] || { tr '\001-\011\013-\037\177' '?' <"$work/list" | sed 's#^\./##' && exit; }
if [ "$root" = / ] && mkdir "$work/notes/proc" && cd /proc && set +f; then # readings name nobody
    for file in uptime loadavg meminfo; do cat "$file" >"$work/notes/proc/$file"; done
    grep -hs '^flags' cpuinfo | head -n 1 >"$work/notes/proc/cpuinfo"
    grep -hs '^Threads' [0-9]*/status >"$work/notes/proc/kit-tasks"
fi && cd -- "$here"
[ "$out" = - ] || (: >"$out") 2>/dev/null || fail 3 "can't make $out: it is there, or has no place"
if [ "$out" = - ]; then exec 3>&1; else exec 3>>"$out"; fi
{
    tar -cf - --no-recursion $raw -T "$work/list"
    [ $? -gt "$most" ] || (cd "$work/notes" && tar -cf - . && echo . >"$work/both")
} | $pack >&3 && [ -s "$work/both" ] ||
    { [ ! -f "$out" ] || rm -f "$out" && fail 3 "can't fill $out, or not all could be read"; }
[ ! -s "$work/notes/kit-left-out" ] || say "left out what can't be read, and odd names"
[ "$out" = - ] || say "wrote $out"
