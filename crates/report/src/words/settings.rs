use tally_core::knowledge::SettingArea;

/// The heading above the settings of an area.
pub const fn setting_area(area: SettingArea) -> &'static str {
    match area {
        SettingArea::Looks => "Looks",
        SettingArea::Windows => "Windows",
        SettingArea::Panel => "Panel and dock",
        SettingArea::Desktop => "Desktop and files",
        SettingArea::Input => "Mouse, touchpad, keyboard",
        SettingArea::Power => "Screen and power",
        SettingArea::Privacy => "Privacy",
        SettingArea::System => "System",
        SettingArea::Terminal => "Terminal",
        SettingArea::Browser => "Web browser",
        SettingArea::Other => "By their own names",
    }
}
