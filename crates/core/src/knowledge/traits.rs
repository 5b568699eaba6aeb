//! What the files of a package show of it: a small set of traits, read off folders and file names.

pub use crate::model::Trait;

/// A set of traits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Traits(u32);

impl Traits {
    /// The set with one more.
    #[must_use]
    pub const fn with(self, one: Trait) -> Self {
        Self(self.0 | 1 << one as u32)
    }

    /// Adds what another set holds.
    pub const fn add(&mut self, other: Self) {
        self.0 |= other.0;
    }

    /// Whether the trait is in it.
    pub const fn has(self, one: Trait) -> bool {
        self.0 & (1 << one as u32) != 0
    }

    /// Whether every trait of the other set is in it.
    pub const fn has_all(self, other: Self) -> bool {
        self.0 & other.0 == other.0
    }

    /// Whether no trait of the other set is in it.
    pub const fn has_none(self, other: Self) -> bool {
        self.0 & other.0 == 0
    }

    /// Whether the files show nothing but documentation.
    pub const fn is_empty(self) -> bool {
        self.0 == 0
    }

    /// The traits in it.
    pub fn each(self) -> impl Iterator<Item = Trait> {
        Trait::ALL.iter().copied().filter(move |one| self.has(*one))
    }
}

impl FromIterator<Trait> for Traits {
    fn from_iter<I: IntoIterator<Item = Trait>>(traits: I) -> Self {
        traits.into_iter().fold(Self::default(), Self::with)
    }
}

/// What a folder's files are, as far as the folder alone tells.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FolderClass {
    /// Nothing can be concluded.
    Nothing,
    /// Each file is this.
    Each(Trait),
    /// A folder of libraries: a file is one if its name says so.
    LibraryFolder,
}

/// Classifies a folder of a file list.
pub fn folder_class(folder: &[u8]) -> FolderClass {
    use FolderClass::{Each, Nothing};
    let (first, rest) = first_part(folder.strip_prefix(b"/").unwrap_or(folder));
    let (top, rest) = match first {
        b"usr" => match first_part(rest) {
            (b"local", rest) => first_part(rest),
            other => other,
        },
        b"etc" => return configuration(rest),
        b"boot" if first_part(rest).0 == b"modules" => return Each(Trait::Drivers),
        b"boot" => return Each(Trait::Boot),
        other => (other, rest),
    };
    match top {
        b"bin" if rest.is_empty() => Each(Trait::Programs),
        b"sbin" if rest.is_empty() => Each(Trait::AdminPrograms),
        b"games" => Each(Trait::GamePrograms),
        b"include" | b"libdata" => Each(Trait::Headers),
        b"src" => Each(Trait::Sources),
        // FreeBSD's ports keep theirs below `usr/local`, some distributions their defaults below `usr`.
        b"etc" => configuration(rest),
        b"libexec" if rest.starts_with(b"fcitx") => Each(Trait::InputMethods),
        b"libexec" => Each(Trait::Helpers),
        b"lib" | b"lib32" | b"lib64" | b"libx32" => library(rest),
        b"share" => shared(rest),
        b"opt" | b"srv" => Each(Trait::Other),
        b"var" if rest.starts_with(b"games") => Each(Trait::Other),
        _ => Nothing,
    }
}

/// The first component of a path, and what follows its slash.
fn first_part(path: &[u8]) -> (&[u8], &[u8]) {
    let slash = path.iter().position(|byte| *byte == b'/');
    slash.map_or((path, &[]), |slash| (&path[..slash], &path[slash + 1..]))
}

fn configuration(rest: &[u8]) -> FolderClass {
    FolderClass::Each(match first_part(rest).0 {
        // Scripts and folders of the init systems: sysvinit and OpenRC, BSD, runit, dinit, s6.
        b"init.d" | b"rc.d" | b"sv" | b"dinit.d" | b"s6" | b"s6-rc" => Trait::Services,
        b"systemd" if rest.starts_with(b"systemd/system") => Trait::Services,
        _ if matches!(rest, b"fonts/conf.avail" | b"fonts/conf.d") => Trait::Fonts,
        _ => Trait::Configuration,
    })
}

const PLUGIN_FOLDERS: &[&[u8]] = &[
    b"plugins",
    b"gio",
    b"gtk-3.0",
    b"gtk-2.0",
    b"gtk-4.0",
    b"alsa-lib",
    b"frei0r-1",
    b"sasl2",
    b"imlib2",
    b"spa-0.2",
    b"pipewire-0.3",
    b"gvfs",
    b"qt5",
    b"qt6",
    b"enchant-2",
    b"krb5",
    b"mozilla",
    b"vlc",
    b"gconv",
    b"security",
    b"p11-kit",
    b"pkcs11",
    b"tumbler-1",
    b"thunarx-3",
    b"evince",
    b"NetworkManager",
    b"gnome-software",
    b"nautilus",
    b"geany",
    b"gimp",
    b"purple-2",
    b"audacious",
    b"gedit",
    b"bluetooth",
    b"speech-dispatcher-modules",
    b"ossl-modules",
    b"openvpn",
    b"obs-plugins",
    b"xfce4",
    b"engines-3",
];

/// Plug-ins of media frameworks and players, below a folder of libraries.
const MEDIA_FOLDERS: &[&[u8]] = &[b"gstreamer-1.0", b"ladspa", b"lv2", b"libheif", b"gdk-pixbuf-2.0"];

const INTERPRETER_FOLDERS: &[&[u8]] =
    &[b"python", b"perl", b"ruby", b"node", b"jvm", b"tcl", b"guile", b"lua", b"php", b"gjs"];

fn library(rest: &[u8]) -> FolderClass {
    use FolderClass::{Each, LibraryFolder};
    let mut parts = rest.split(|byte| *byte == b'/');
    let mut first = parts.next().unwrap_or_default();
    if is_triplet(first) {
        first = parts.next().unwrap_or_default();
    }
    let below = parts.next().unwrap_or_default();
    match first {
        b"" => LibraryFolder,
        b"systemd" if below == b"system" => Each(Trait::Services),
        b"dinit.d" => Each(Trait::Services),
        b"systemd" if below == b"user" => Each(Trait::UserServices),
        b"modules" => Each(Trait::Modules),
        b"firmware" => Each(Trait::Firmware),
        b"pkgconfig" | b"cmake" | b"gcc" => Each(Trait::Headers),
        b"dri" | b"vdpau" | b"xorg" | b"sane" | b"cups" | b"libva" | b"vulkan" => Each(Trait::Drivers),
        b"locale" => Each(Trait::Translations),
        b"udev" | b"tmpfiles.d" | b"sysusers.d" | b"modprobe.d" | b"sysctl.d" => Each(Trait::Configuration),
        b"qt5" | b"qt6" if below == b"qml" => Each(Trait::InterpreterModules),
        b"girepository-1.0" => Each(Trait::InterpreterModules),
        b"fcitx5" | b"fcitx" | b"uim" | b"scim-1.0" => Each(Trait::InputMethods),
        b"vlc" if below == b"plugins" => Each(Trait::MediaPlugins),
        _ if MEDIA_FOLDERS.contains(&first) => Each(Trait::MediaPlugins),
        _ if PLUGIN_FOLDERS.contains(&first) => Each(Trait::Plugins),
        _ if INTERPRETER_FOLDERS.iter().any(|language| first.starts_with(language)) => {
            Each(Trait::InterpreterModules)
        }
        _ => Each(Trait::Other),
    }
}

/// `x86_64-linux-gnu`: a folder of libraries for one machine.
fn is_triplet(name: &[u8]) -> bool {
    name.iter().filter(|b| **b == b'-').count() == 2 && memchr::memmem::find(name, b"linux").is_some()
}

fn shared(rest: &[u8]) -> FolderClass {
    use FolderClass::{Each, Nothing};
    let mut parts = rest.split(|byte| *byte == b'/');
    let (first, below) = (parts.next().unwrap_or_default(), parts.next().unwrap_or_default());
    let deeper = parts.next().unwrap_or_default();
    match first {
        // Every package has a folder here; a handbook shows by its own.
        b"doc" if deeper == b"html" || deeper == b"manual" => Each(Trait::Manuals),
        b"" | b"doc" | b"lintian" | b"bug" | b"doc-base" | b"menu" | b"metainfo" | b"appdata" | b"apport"
        | b"licenses" | b"pkgconfig" => Nothing,
        // Handbooks of sections 2 and 3 are for those who build programs; the others stand beside what they are about.
        b"man" if below == b"man2" || below == b"man3" => Each(Trait::Manuals),
        b"man" | b"zsh" | b"fish" | b"bash-completion" | b"pixmaps" => Nothing,
        b"ibus" if below == b"component" => Each(Trait::InputMethods),
        b"fcitx5" | b"fcitx" if below == b"addon" || below == b"inputmethod" => Each(Trait::InputMethods),
        b"dbus-1" if below == b"system-services" => Each(Trait::BusServices),
        b"help" | b"gtk-doc" | b"info" | b"devhelp" | b"gnome" if first != b"gnome" || below == b"help" => {
            Each(Trait::Manuals)
        }
        b"locale" | b"locale-langpack" | b"i18n" | b"qt5" | b"qt6" | b"translations"
            if first != b"qt5" && first != b"qt6" || below == b"translations" =>
        {
            Each(Trait::Translations)
        }
        b"fonts" | b"fontconfig" => Each(Trait::Fonts),
        b"icons" if below == b"hicolor" => Nothing,
        b"icons" => Each(Trait::Icons),
        b"themes" | b"color-schemes" | b"aurorae" | b"Kvantum" | b"gtksourceview-4" => Each(Trait::Themes),
        b"plymouth" | b"sddm" | b"lightdm" | b"grub" if below == b"themes" => Each(Trait::Themes),
        b"backgrounds" | b"wallpapers" | b"gnome-background-properties" | b"mate-background-properties" => {
            Each(Trait::Wallpapers)
        }
        b"sounds" => Each(Trait::Sounds),
        b"aclocal" | b"gir-1.0" | b"vala" | b"cmake" => Each(Trait::Headers),
        b"hunspell"
        | b"myspell"
        | b"hyphen"
        | b"mythes"
        | b"aspell"
        | b"dict"
        | b"dictionaries-common"
        | b"enchant" => Each(Trait::Dictionaries),
        b"xsessions" | b"wayland-sessions" => Each(Trait::Sessions),
        b"xdg-desktop-portal" => Each(Trait::Portals),
        b"applications" => Each(Trait::Launchers),
        b"perl5" | b"perl" | b"python3" | b"java" | b"nodejs" | b"javascript" | b"ruby-rubygems"
        | b"gjs-1.0" | b"tcltk" => Each(Trait::InterpreterModules),
        b"ppd" | b"foomatic" | b"cups" | b"vulkan" | b"drirc.d" => Each(Trait::Drivers),
        b"alsa" if matches!(below, b"ucm" | b"ucm2" | b"topology" | b"init") => Each(Trait::Drivers),
        b"X11" if below == b"xorg.conf.d" => Each(Trait::Drivers),
        _ => Each(Trait::Shared),
    }
}

/// The trait of one file, from its folder's class and its name.
pub fn trait_of(class: FolderClass, name: &[u8]) -> Option<Trait> {
    match class {
        FolderClass::Nothing => None,
        FolderClass::Each(one) => Some(one),
        FolderClass::LibraryFolder => {
            let at = memchr::memmem::find(name, b".so")?;
            let after = &name[at + 3..];
            match after {
                // The bare name is the link that compilers want, or a module; with a number it is the library itself.
                b"" => Some(Trait::Libraries),
                [b'.', ..] => Some(Trait::Libraries),
                _ => None,
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn of(path: &str) -> Option<Trait> {
        let (folder, name) = path.rsplit_once('/').unwrap();
        trait_of(folder_class(folder.as_bytes()), name.as_bytes())
    }

    #[test]
    fn folders_tell_what_their_files_are() {
        for (path, expected) in [
            ("/usr/bin/inkcap", Some(Trait::Programs)),
            ("/bin/ls", Some(Trait::Programs)),
            ("/usr/local/bin/x", Some(Trait::Programs)),
            ("/usr/lib/x86_64-linux-gnu/libweir.so.2", Some(Trait::Libraries)),
            ("/lib/x86_64-linux-gnu/libc.so.6", Some(Trait::Libraries)),
            ("/usr/lib/x86_64-linux-gnu/weir", None),
            ("/usr/lib/x86_64-linux-gnu/dri/x.so", Some(Trait::Drivers)),
            ("/lib/systemd/system/x.service", Some(Trait::Services)),
            ("/usr/lib/systemd/user/x.service", Some(Trait::UserServices)),
            ("/usr/share/doc/x/copyright", None),
            ("/usr/share/locale/de/LC_MESSAGES/x.mo", Some(Trait::Translations)),
            ("/usr/include/x.h", Some(Trait::Headers)),
            ("/usr/share/icons/hicolor/48x48/x.png", None),
            ("/usr/share/icons/Marsh/index.theme", Some(Trait::Icons)),
            ("/usr/lib/python3/dist-packages/x.py", Some(Trait::InterpreterModules)),
            ("/etc/x.conf", Some(Trait::Configuration)),
            ("/.", None),
        ] {
            assert_eq!(of(path), expected, "{path}");
        }
    }

    proptest! {
        #[test]
        fn any_path_will_do(path in prop::collection::vec(any::<u8>(), 0..60)) {
            trait_of(folder_class(&path), &path);
        }
    }
}
