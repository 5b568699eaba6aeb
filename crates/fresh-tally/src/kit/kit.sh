#!/bin/sh
# Collects what fresh-tally reads of an install into one archive, for `fresh-tally take ARCHIVE` elsewhere.
#
#   sh kit.sh                    writes tally-kit.tar here (compressed with gzip where it is there: tally-kit.tar.gz)
#   sh kit.sh -o FILE            writes that file; `-` is standard output
#   sh kit.sh --list             shows what it would take, and takes nothing
#   sh kit.sh --all-dates        takes the changelogs of Debian packages as well: when each was last changed
#   sh kit.sh --pictures         takes wallpapers, logos and the icons of programs as well
#   sh kit.sh --root DIR         collects from an install that is mounted there, and takes no readings
#   ssh host sh -s -- -o - < kit.sh | fresh-tally take -
#
# Runs as anybody; what only root may read is then named and left out. It writes to one temporary folder, which it removes.
# It never takes: password and shadow files, keys, network credentials, machine ids, addresses' passwords, personal files.
# Of fonts and programs, and of pictures unless asked, it takes names only; of home folders only launchers and the names of AppImages.

set -u
LC_ALL=C
export LC_ALL
umask 077

root=/ out='' list='' pictures='' dates=''
while [ $# -gt 0 ]; do
    case $1 in
        -o | --output) [ $# -gt 1 ] || { echo "kit: $1 needs a file" >&2; exit 2; }; out=$2; shift ;;
        --root) [ $# -gt 1 ] || { echo "kit: --root needs a folder" >&2; exit 2; }; root=$2; shift ;;
        --list) list=yes ;;
        --pictures) pictures=yes ;;
        --all-dates) dates=yes ;;
        -h | --help) sed -n '2,14s/^# \{0,1\}//p' "$0" 2>/dev/null; exit 0 ;;
        *) echo "kit: unknown option $1" >&2; exit 2 ;;
    esac
    shift
done
start=$(pwd) || exit 3
case $out in '' | - | /*) ;; *) out=$start/$out ;; esac
if [ "$out" != - ] && [ -e "$out" ] && [ ! -f "$out" ]; then echo "kit: $out is not a file that can be replaced" >&2; exit 2; fi
cd "$root" 2>/dev/null || { echo "kit: can't enter $root" >&2; exit 3; }

work=$(mktemp -d "${TMPDIR:-/tmp}/kit.XXXXXX") || exit 3
trap 'chmod -R u+rwX "$work" 2>/dev/null; rm -rf "$work"' EXIT
trap 'exit 130' INT TERM HUP PIPE
stage=$work/stage
mkdir "$stage" || exit 3
: >"$work/missed"

# --- what is taken ---------------------------------------------------------------------------------------------------

# Whole files and links; folders with everything in them. Patterns are the shell's.
whole() {
    cat <<'END'
@WHOLE@
etc/os-release usr/lib/os-release etc/lsb-release etc/*-release etc/debian_version etc/slackware-version bin/freebsd-version usr/bin/freebsd-version
.disk/info usr/share/applications usr/local/share/applications etc/skel/.local/share/applications etc/skel/.config home/*/.local/share/applications
root/.local/share/applications usr/share/mime/aliases usr/share/mime/subclasses usr/local/share/mime/aliases usr/local/share/mime/subclasses etc/xdg usr/etc/xdg etc/alternatives etc/X11/default-display-manager
usr/share/xsessions usr/share/wayland-sessions usr/local/share/xsessions usr/local/share/wayland-sessions etc/systemd/system etc/systemd/user
etc/systemd/zram-generator.conf usr/lib/systemd/zram-generator.conf etc/default/zramswap usr/lib/systemd/system usr/lib/systemd/user
usr/local/lib/systemd lib/systemd/system lib/systemd/user etc/init.d etc/inittab etc/rc[S2-5].d etc/runlevels etc/sv etc/runit/runsvdir etc/rc.d
etc/dinit.d usr/lib/dinit.d lib/dinit.d usr/local/lib/dinit.d etc/s6/adminsv etc/s6/sv
etc/adduser.conf etc/default/useradd etc/sysconfig/displaymanager etc/conf.d/display-manager
usr/local/etc/rc.d etc/dconf/profile etc/dconf/db usr/share/glib-2.0/schemas/*.override usr/share/glib-2.0/schemas/*.gschema.xml
usr/local/share/glib-2.0/schemas/*.override usr/local/share/glib-2.0/schemas/*.gschema.xml usr/local/etc/xdg etc/environment.d usr/lib/environment.d
usr/share/*-session/sessions usr/bin/start* usr/bin/*-session usr/bin/*-session-* usr/libexec/*-session usr/share/accountsservice/user-templates
usr/share/plasma/look-and-feel/*/contents/defaults usr/share/*/kf[56]-settings usr/share/wallpapers/*/metadata.* usr/share/backgrounds/*.xml
usr/share/backgrounds/*/*.xml usr/share/desktop-base/active-theme usr/share/desktop-base/*/wallpaper/metadata.* usr/share/images/desktop-base
usr/share/desktop-base/profiles usr/share/desktop-base/*/wallpaper/*.xml usr/share/desktop-base/*/lockscreen/*.xml usr/share/desktop-base/*/lockscreen/metadata.* usr/share/plasma-workspace/env etc/sway/config etc/i3/config etc/X11/icewm/theme usr/share/icewm/theme
usr/share/lxqt/*.conf usr/share/pcmanfm-qt usr/share/themes/*/index.theme usr/share/icons/*/index.theme etc/localtime
etc/login.defs usr/share/xfwm4/defaults usr/share/mate-panel/layouts usr/share/plasma/look-and-feel/*/contents/layouts
usr/share/plasma/layout-templates usr/share/plasma/plasmoids/*/contents/config usr/share/lxpanel/profile usr/share/budgie-desktop
etc/budgie-desktop usr/share/gnome-shell/modes usr/share/metainfo usr/share/appdata usr/local/share/metainfo
var/lib/flatpak/exports/share/metainfo usr/share/distro-info/*.csv
END
    [ -z "$dates" ] || echo 'usr/share/doc/*/changelog.Debian*.gz usr/share/doc/*/changelog.gz'
    [ -z "$pictures" ] || cat <<'END'
usr/share/backgrounds usr/share/wallpapers usr/share/lxqt/wallpapers usr/share/pixmaps usr/share/desktop-base usr/share/sddm/themes
usr/share/plymouth/themes usr/share/plasma/avatars usr/share/icons/hicolor/48x48/apps usr/share/icons/hicolor/64x64/apps
usr/share/icons/hicolor/128x128/apps usr/share/icons/hicolor/scalable/apps
END
}

# Records of installers: they may hold anything, and only their times are taken.
moments() {
    echo 'var/log/installer/* var/log/anaconda/* root/anaconda-ks.cfg var/log/Calamares.log var/log/calamares.log var/log/YaST2/y2start.log'
    echo 'var/log/agama-installation/* var/log/archinstall/* var/log/bsdinstall_log var/log/setup'
}

# Files that may hold a password or a user's name beside what is needed: what is cut out, and the files. What divides them means nothing in
# the patterns of any shell; a bar does in some.
filtered() {
    cat <<'END'
@FILTERED@
/_enable=/!d~etc/defaults/rc.conf etc/rc.conf etc/rc.conf.local etc/rc.conf.d/*
/^\[/!{/session/!d;}~etc/lightdm/lightdm.conf etc/lightdm/lightdm.conf.d/* usr/share/lightdm/lightdm.conf.d/*
/^\[/!{/[Ss]ession/!d;}~etc/sddm.conf etc/sddm.conf.d/* usr/lib/sddm/sddm.conf.d/* etc/plasmalogin.conf etc/plasmalogin.conf.d/*
/^\[/!{/[Ss]ession/!{/WaylandEnable/!d;};}~etc/gdm3/daemon.conf etc/gdm3/custom.conf etc/gdm/custom.conf etc/lxdm/*.conf
/^\[/!{/^ *command/!d;}~etc/greetd/config.toml
/DISPLAYMANAGER/!d~etc/sysconfig/displaymanager etc/sysconfig/desktop etc/conf.d/display-manager etc/conf.d/xdm
s/user=[^, ]*/user=/g;s/username=[^, ]*/username=/g;s/pass=[^, ]*/pass=/g;s/password=[^, ]*/password=/g;s/credentials=[^, ]*/credentials=/g;s/cred=[^, ]*/cred=/g~etc/fstab
/^Threads/!d~proc/[0-9]*/status
s/ / /~proc/uptime proc/loadavg proc/meminfo
/^flags/!d~proc/cpuinfo
s#//[^/@" ]*@#//#g~etc/apt/apt.conf etc/apt/apt.conf.d/* etc/firefox/policies/*.json usr/lib*/firefox*/distribution/*.json usr/share/firefox*/distribution/*.json
s#//[^/@" ]*@#//#g~etc/firefox/*.js etc/firefox/pref/*.js etc/firefox-esr/*.js usr/lib*/firefox*/browser/defaults/preferences/*.js usr/lib*/firefox*/*.cfg
s#//[^/@" ]*@#//#g~usr/share/firefox*/browser/defaults/preferences/*.js etc/chromium/policies/*/*.json etc/chromium/*_preferences
/^\[/!{/^apply_updates/!d;}~etc/dnf/automatic.conf
s/password=[^ ]*//g;s/pass=[^ ]*//g;s/key=[^ ]*//g;s/token=[^ ]*//g~proc/cmdline
END
}

# Folders of which only names are taken: empty files stand for the files.
names() {
    cat <<'END'
bin sbin usr/bin usr/sbin usr/games usr/local/bin usr/local/sbin usr/local/games snap/bin usr/share/backgrounds usr/share/wallpapers
usr/share/lxqt/wallpapers usr/share/lxqt/themes usr/share/pixmaps/backgrounds usr/share/fonts usr/local/share/fonts
usr/libexec/sddm* usr/lib/*/sddm usr/libexec/glycin-loaders usr/lib/cups/filter usr/lib/cups/driver usr/lib/cups/backend
END
    for lib in 'usr/lib/*' usr/lib64 usr/lib usr/local/lib lib; do
        for name in gstreamer-1.0 vlc/plugins gdk-pixbuf-2.0 glycin-loaders qt5/plugins qt6/plugins dri vdpau sane atril evince 'modules/*/kernel/fs' 'modules/*/modules.[bo]*' 'firefox*/libxul.so' \
            'libavcodec.so*' 'libavformat.so*' 'libarchive.so*' 'libdvdcss.so*' 'libraw*.so*' 'libgdk_pixbuf-2.0.so*' 'libQt[56]Gui.so*'; do
            printf '%s/%s\n' "$lib" "$name"
        done
    done
}

# Folders of which the names of the first level are taken.
first_names() { echo 'usr/lib/modules lib/modules usr/share/themes usr/share/themes/* usr/share/icons'; }

# Images with a package in them, taken whole while they are small, and otherwise named.
images() {
    cat <<'END'
@IMAGES@
END
}

# --- how it is taken -------------------------------------------------------------------------------------------------
#
# The install may be a stranger's. Paths begin with `./`, so that none is an option. No link is followed, at the end of a path or on the way,
# and only regular files are opened. Lists have a path a line, so a name with a line break is left out. Whatever is left out is said.

nl='
'
# Sizes, in blocks of 512 bytes: of a file that is taken whole, of one that is read through, of an image.
most_whole=2097152 most_filtered=131072 most_image=8192

# Notes that the paths behind the first argument are left out, and why: the first argument. `find` runs it too.
missed=$work/missed
export missed
cat >"$work/miss" <<'END'
why=$1 nl='
'
shift
for path; do
    flat=
    while case $path in *"$nl"*) true ;; *) false ;; esac; do
        flat="$flat${path%%"$nl"*}?"
        path=${path#*"$nl"}
    done
    printf '%s%s: %s\n' "$flat" "$path" "$why"
done >>"$missed"
END
miss() { sh "$work/miss" "$2" "$1"; }

# Control characters could do something to a terminal: question marks stand for them.
shown() { tr '\000-\011\013-\037\177' '?' | sed "s/$(printf '\302')[$(printf '\200')-$(printf '\237')]/?/g"; }

# Whether no folder on the way to a path is a link: what lies behind one is taken by its own path.
reached() {
    above=$1
    while case $above in ./*/*) true ;; *) false ;; esac; do
        above=${above%/*}
        [ -L "$above" ] && return 1
    done
    return 0
}

# The paths of patterns that are there, a line each.
expand() {
    while IFS= read -r patterns; do
        for path in $patterns; do
            case $path in proc/*) [ "$root" = / ] || continue ;; esac
            path=./$path
            if [ ! -e "$path" ] && [ ! -L "$path" ]; then continue; fi
            case $path in *"$nl"*) miss "$path" 'a line break in its name'; continue ;; esac
            if reached "$path"; then printf '%s\n' "$path"; fi
        done
    done
}

# Whether a path is a regular file of at most so many blocks.
regular() {
    if [ -L "$1" ]; then miss "$1" 'a link, which is not followed'; return 1; fi
    if [ ! -f "$1" ]; then [ -d "$1" ] || [ ! -e "$1" ] || miss "$1" 'not a regular file'; return 1; fi
    [ -n "$(find "$1" -prune -size "+$2" -print 2>/dev/null)" ] || return 0
    miss "$1" "larger than $(($2 / 2)) KiB"
    return 1
}

# Every file and link below a path, but what holds secrets wherever it lies.
below() {
    find "$1" \( -name '*.key' -o -name '*.pem' -o -name '*.psk' -o -name 'auth.conf*' -o -name 'shadow*' -o -name 'gnupg' -o -name 'credentials*' \
        -o -name 'environment.bz2' -o -name '*mtree' -o -name 'install' -o -name '*.ebuild' \) -prune \
        -o -name "*$nl*" -prune -exec sh "$work/miss" 'a line break in its name' {} + \
        -o -type d -o -type l -print \
        -o ! -type f -exec sh "$work/miss" 'not a regular file' {} + \
        -o -size "+$most_whole" -exec sh "$work/miss" "larger than $((most_whole / 2)) KiB" {} + \
        -o -print 2>>"$missed"
}

# Where a path leads, with every link followed inside the root alone: `real`, without links. The links are taken.
resolve() {
    todo=$1 real=. followed=0
    while [ -n "$todo" ]; do
        name=${todo%%/*}
        case $todo in */*) todo=${todo#*/} ;; *) todo= ;; esac
        case $name in
            '' | .) ;;
            ..) case $real in ./*) real=${real%/*} ;; esac ;;
            *)
                if [ -L "$real/$name" ]; then
                    followed=$((followed + 1))
                    [ "$followed" -le 40 ] || return 1
                    take_link "$real/$name"
                    target=$(readlink "$real/$name")
                    case $target in /*) real=. ;; esac
                    todo=$target/$todo
                else
                    real=$real/$name
                fi
                ;;
        esac
    done
}

# Makes the folder of a path in the archive.
folder_of() { [ -d "$stage/${1%/*}" ] || mkdir -p "$stage/${1%/*}"; }

# An empty file in place of a path, where nothing of it is there yet.
stand_in() { if [ ! -e "$stage/$1" ] && [ ! -L "$stage/$1" ]; then folder_of "$1" && : >"$stage/$1"; fi; }

# A link to a folder that is there already would be followed, and a target may begin like an option.
take_link() { if [ ! -e "$stage/$1" ] && [ ! -L "$stage/$1" ]; then folder_of "$1" && ln -s -- "$(readlink "$1")" "$stage/$1"; fi; }

whole | expand | while IFS= read -r path; do below "$path"; done | sort -u >"$work/whole"
# The zone that logs are written in lies behind a link.
if [ -L etc/localtime ] && resolve etc/localtime && [ -f "$real" ] && [ ! -L "$real" ]; then below "$real" >>"$work/whole"; fi
filtered | while IFS= read -r line; do
    printf '%s\n' "${line#*~}" | expand | while IFS= read -r path; do
        regular "$path" "$most_filtered" && printf '%s~%s\n' "${line%%~*}" "$path"
    done
done >"$work/filtered"
names | expand | while IFS= read -r path; do
    find "$path" -name "*$nl*" -prune -exec sh "$work/miss" 'a line break in its name' {} + -o \( -type f -o -type l \) -print 2>>"$missed"
done | sort -u >"$work/names"
{
    first_names | expand | while IFS= read -r path; do
        find "$path" ! -path "$path" -prune ! -name "*$nl*" \( -type d -o -type l \) -print 2>>"$missed"
    done
    printf './lib\n./lib64\n'
} >"$work/folders"
images | expand | while IFS= read -r path; do regular "$path" "$most_image" && printf '%s\n' "$path"; done >"$work/images"
moments | expand | while IFS= read -r path; do if [ -f "$path" ] && [ ! -L "$path" ]; then printf '%s\n' "$path"; fi; done >"$work/times"

if [ -n "$list" ]; then
    {
        cat "$work/whole"
        sed 's/^[^~]*~\(.*\)/\1 (without passwords and names)/' "$work/filtered"
        cat "$work/images"
        sed 's/$/ (its name only)/' "$work/names"
        sed 's/$/ (its time only)/' "$work/times"
    } | sed 's#^\./##' | shown
    exit 0
fi

# Whole files keep their times, which tell when packages came. Some programs read a backslash in a list as the start of something else, and some
# read no list: what is not there afterwards is copied by itself.
grep -v '\\' "$work/whole" >"$work/plain"
tar -cf - -T "$work/plain" 2>"$work/tar" | (cd "$stage" && tar -xf - 2>/dev/null)
grep -i -e 'read error' -e 'shrank' "$work/tar" | sed 's/^[^:]*: //' >>"$missed"
while IFS= read -r path; do
    if [ -e "$stage/$path" ] || [ -L "$stage/$path" ]; then continue; fi
    if [ -L "$path" ]; then
        take_link "$path"
    elif [ -r "$path" ] && folder_of "$path" && cat "$path" >"$stage/$path"; then
        touch -r "$path" "$stage/$path"
    else
        rm -f "$stage/$path"
        miss "$path" "can't be read"
    fi 2>/dev/null
done <"$work/whole"
while IFS= read -r line; do
    path=${line#*~}
    folder_of "$path"
    # A process may have ended by now.
    [ -e "$path" ] || continue
    if [ ! -r "$path" ]; then miss "$path" "can't be read"; continue; fi
    case $path in
        *.gz) gzip -dc "$path" 2>/dev/null | head -c 268435456 | sed "${line%%~*}" | gzip -c >"$stage/$path" ;;
        *) sed "${line%%~*}" "$path" >"$stage/$path" 2>/dev/null ;;
    esac || case $path in ./proc/*) ;; *) miss "$path" "can't be read" ;; esac
    touch -r "$path" "$stage/$path" 2>/dev/null
done <"$work/filtered"
while IFS= read -r path; do
    if [ ! -L "$path" ]; then stand_in "$path"; continue; fi
    # A program may lie elsewhere: an empty file stands for it there.
    if resolve "$path" && [ -f "$real" ]; then stand_in "$real"; fi
done <"$work/names"
while IFS= read -r path; do
    stand_in "$path"
    touch -r "$path" "$stage/$path"
done <"$work/times"
while IFS= read -r path; do
    if [ -L "$path" ]; then take_link "$path"; elif [ -d "$path" ]; then mkdir -p "$stage/$path"; fi
done <"$work/folders"
while IFS= read -r path; do
    folder_of "$path"
    cp -p "$path" "$stage/$path" 2>/dev/null || miss "$path" "can't be read"
done <"$work/images"
for path in ./var/lib/flatpak/app/*/*/*/* ./var/lib/flatpak/runtime/*/*/*/* ./var/lib/flatpak/app/*/* ./var/lib/flatpak/runtime/*/*; do
    [ -d "$stage/$path" ] && [ ! -L "$path" ] && reached "$path" && touch -r "$path" "$stage/$path"
done
# When the system was first started, by the heads of its journals: the times alone.
echo 'var/log/journal/*/system*.journal' | expand | while IFS= read -r path; do
    if [ ! -f "$path" ] || [ -L "$path" ]; then continue; fi
    set -- $(od -An -t u8 -j 184 -N 8 "$path" 2>/dev/null)
    [ $# -ne 1 ] || printf '%s %s\n' "${path#./}" "$1" >>"$stage/kit-first-start"
done
# Programs of a real install may be run by others; what was collected may be read by whoever unpacks it.
chmod -R u+rwX "$stage" 2>/dev/null

if [ -z "$(find "$stage" -type f -print 2>/dev/null | head -n 1)" ]; then
    echo "kit: found nothing to take in $root: no package database, no release file, no launcher" | shown >&2
    exit 3
fi
if [ -s "$missed" ]; then
    sed -e "s#^find: '\{0,1\}\(.*[^']\)'\{0,1\}: #\1: #" -e 's#^\./##' "$missed" | shown | sort -u >"$work/said"
    { echo 'kit: left out:'; head -n 40 "$work/said" | sed 's/^/kit:   /'; } >&2
    left=$(($(wc -l <"$work/said") - 40))
    [ "$left" -le 0 ] || echo "kit:   and $left more" >&2
    # Whoever reads the archive is told as well.
    cp "$work/said" "$stage/kit-left-out"
fi
pack() { (cd "$stage" && tar -cf - .) || : >"$work/failed"; }
if [ "$out" = - ]; then
    pack
    [ ! -e "$work/failed" ] || exit 3
    exit 0
fi
if [ -z "$out" ]; then
    out=$start/tally-kit.tar
    if command -v gzip >/dev/null 2>&1; then out=$out.gz; fi
fi
part=$(mktemp "$out.XXXXXX") || { echo "kit: can't write beside $out" | shown >&2; exit 3; }
case $out in *.gz | *.tgz) pack | gzip >"$part" ;; *) pack >"$part" ;; esac || : >"$work/failed"
if [ -e "$work/failed" ] || ! mv "$part" "$out"; then
    rm -f "$part"
    echo "kit: can't write $out" | shown >&2
    exit 3
fi
echo "kit: wrote $out" | shown >&2
