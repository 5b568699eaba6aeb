//! What an addition costs: download and disk, against a limit.

use super::{Catalog, Plan, PlanOptions, plan};
use crate::model::{Package, Text};
use schemars::JsonSchema;
use serde::Serialize;

/// What is to be added, and what it is held against.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct CostAsked {
    /// Packages, provided names or groups.
    pub names: Vec<Text>,
    /// Whether what packages recommend comes along.
    pub recommends: bool,
    /// Bytes of the medium that is downloaded first; with it the limit is one of the download.
    pub image_bytes: Option<u64>,
    /// Bytes that come on top.
    pub plus_bytes: u64,
    /// The limit, bytes.
    pub limit_bytes: Option<u64>,
}

/// Download and disk of a plan.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct CostOf {
    /// What is added.
    pub names: Vec<Text>,
    /// Packages that are new.
    pub packages: u32,
    /// Bytes to download.
    pub download_bytes: u64,
    /// Bytes by which the install grows; negative if it shrinks.
    pub disk_bytes: i64,
}

/// A way to stay within the limit.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(tag = "fit", rename_all = "kebab-case")]
pub enum Fit {
    /// Leaving recommended packages out is enough.
    WithoutRecommended {
        /// What it costs then.
        cost: CostOf,
    },
    /// There is room for recommended packages as well.
    WithRecommended {
        /// What it costs then.
        cost: CostOf,
    },
    /// Leaving these out is enough.
    LeaveOut {
        /// What is left out.
        names: Vec<Text>,
        /// What the others cost.
        cost: CostOf,
    },
}

/// What an addition costs.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Cost {
    /// Schema number of this document.
    pub schema_version: u32,
    /// Bytes on disk of all packages that are installed.
    pub installed_bytes: u64,
    /// Bytes of the medium, where it counts.
    pub image_bytes: Option<u64>,
    /// Bytes that come on top, as asked.
    pub plus_bytes: u64,
    /// Bytes to download in all: the medium, the additions, what comes on top.
    pub download_sum: u64,
    /// Bytes on disk in all; what comes on top counts only where no medium does.
    pub disk_sum: u64,
    /// The limit, bytes: of the download where a medium counts, else of the disk.
    pub limit_bytes: Option<u64>,
    /// By how many bytes it is over; 0 when it fits.
    pub over_bytes: u64,
    /// What would be done.
    pub plan: Plan,
    /// Each addition by itself.
    pub each: Vec<CostOf>,
    /// The same additions with recommended packages, or without them: whichever was not asked for.
    pub otherwise: CostOf,
    /// What else would fit, or what to leave out.
    pub fits: Vec<Fit>,
}

/// The sum that a limit is for.
struct Account<'a> {
    asked: &'a CostAsked,
    installed: u64,
}

impl Account<'_> {
    fn sums(&self, download: u64, disk: i64) -> (u64, u64) {
        let plus = self.asked.plus_bytes;
        let image = self.asked.image_bytes.unwrap_or(0);
        let on_disk = self.installed.saturating_add_signed(disk);
        let plus_on_disk = if self.asked.image_bytes.is_some() { 0 } else { plus };
        (image.saturating_add(download).saturating_add(plus), on_disk.saturating_add(plus_on_disk))
    }

    fn over(&self, download: u64, disk: i64) -> u64 {
        let (downloads, disk) = self.sums(download, disk);
        let sum = if self.asked.image_bytes.is_some() { downloads } else { disk };
        self.asked.limit_bytes.map_or(0, |limit| sum.saturating_sub(limit))
    }

    fn fits(&self, cost: &CostOf) -> bool {
        self.over(cost.download_bytes, cost.disk_bytes) == 0
    }
}

/// What an addition costs, and what could be done about it.
pub fn cost(packages: &[Package], catalog: &Catalog, asked: &CostAsked) -> Cost {
    let present = packages.iter().filter(|package| package.is_present());
    let installed = present.filter_map(|package| package.installed_bytes).fold(0, u64::saturating_add);
    let planned = |names: &[Text], recommends| plan(packages, catalog, names, PlanOptions { recommends });
    let of = |names: &[Text], recommends| cost_of(names, &planned(names, recommends));
    let account = Account { asked, installed };
    let whole = planned(&asked.names, asked.recommends);
    let otherwise = of(&asked.names, !asked.recommends);
    let each: Vec<CostOf> =
        asked.names.iter().map(|name| of(std::slice::from_ref(name), asked.recommends)).collect();
    let over_bytes = account.over(whole.download_bytes, whole.disk_bytes);
    let mut fits = Vec::new();
    if asked.limit_bytes.is_some() {
        let other_fits = account.fits(&otherwise);
        if over_bytes > 0 {
            if other_fits && asked.recommends {
                fits.push(Fit::WithoutRecommended { cost: otherwise.clone() });
            }
            fits.extend(leave_out(&account, asked, &each, &of));
        } else if other_fits && !asked.recommends {
            fits.push(Fit::WithRecommended { cost: otherwise.clone() });
        }
    }
    let (download_sum, disk_sum) = account.sums(whole.download_bytes, whole.disk_bytes);
    Cost {
        schema_version: 1,
        installed_bytes: installed,
        image_bytes: asked.image_bytes,
        plus_bytes: asked.plus_bytes,
        download_sum,
        disk_sum,
        limit_bytes: asked.limit_bytes,
        over_bytes,
        plan: whole,
        each,
        otherwise,
        fits,
    }
}

fn cost_of(names: &[Text], plan: &Plan) -> CostOf {
    CostOf {
        names: names.to_vec(),
        packages: u32::try_from(plan.added.len()).unwrap_or(u32::MAX),
        download_bytes: plan.download_bytes,
        disk_bytes: plan.disk_bytes,
    }
}

/// The smallest addition that is enough to leave out; else the largest ones, until the rest fits.
fn leave_out(
    account: &Account<'_>,
    asked: &CostAsked,
    each: &[CostOf],
    of: &dyn Fn(&[Text], bool) -> CostOf,
) -> Option<Fit> {
    let weight = |cost: &CostOf| match account.asked.image_bytes {
        Some(_) => i64::try_from(cost.download_bytes).unwrap_or(i64::MAX),
        None => cost.disk_bytes,
    };
    let mut order: Vec<usize> = (0..asked.names.len()).collect();
    order.sort_by_key(|at| weight(&each[*at]));
    let without = |left: &[usize]| -> Vec<Text> {
        asked
            .names
            .iter()
            .enumerate()
            .filter(|(at, _)| !left.contains(at))
            .map(|(_, name)| name.clone())
            .collect()
    };
    let names = |left: &[usize]| left.iter().map(|at| asked.names[*at].clone()).collect();
    if asked.names.len() > 1 {
        for at in &order {
            let cost = of(&without(&[*at]), asked.recommends);
            if account.fits(&cost) {
                return Some(Fit::LeaveOut { names: names(&[*at]), cost });
            }
        }
    }
    let mut left = Vec::new();
    for at in order.into_iter().rev() {
        left.push(at);
        let rest = without(&left);
        if rest.is_empty() {
            break;
        }
        let cost = of(&rest, asked.recommends);
        if account.fits(&cost) {
            left.sort_unstable();
            return Some(Fit::LeaveOut { names: names(&left), cost });
        }
    }
    None
}
