//! Questions to the whole shelf.

use super::rows::{RowKind, Thing};
use super::{Index, failed};
use crate::ShelfError;
use rusqlite::OptionalExtension;
use rustc_hash::FxHashMap;
use std::collections::BTreeMap;
use tally_core::find::{MATCH, NameScore};
use tally_core::lag::{Known, key_of_part, keys_of_application};
use tally_core::model::{
    Application, Delivery, Dependency, Evidence, Label, Medium, Menu, Package, PackageRef, Part, Picture,
    PictureKind, PictureSighting, Sameness, Shelved, Sighting, Sightings, System, Taken, Tally, Text,
};

/// Names told when nothing matches.
const NEAREST: usize = 5;

/// Names of packages, and those whose place each takes.
type Claims = FxHashMap<String, Vec<String>>;

impl Index {
    /// Every install, by handle.
    ///
    /// # Errors
    /// When the index can't be read.
    pub fn installs(&self) -> Result<Vec<Shelved>, ShelfError> {
        let query = || -> rusqlite::Result<Vec<Shelved>> {
            let mut rows = self.db.prepare_cached(
                "SELECT handle, label, taken_at, packages, applications, bytes, problem FROM install ORDER BY handle",
            )?;
            let rows = rows.query_map([], |row| {
                let number = |i: usize| row.get::<_, Option<i64>>(i).map(|n| n.map_or(0, i64::unsigned_abs));
                Ok(Shelved {
                    handle: row.get(0)?,
                    label: row.get::<_, Option<String>>(1)?.and_then(|text| serde_json::from_str(&text).ok()),
                    taken_at: row.get(2)?,
                    packages: number(3)?,
                    applications: number(4)?,
                    installed_bytes: number(5)?,
                    problem: row.get(6)?,
                })
            })?;
            rows.collect()
        };
        query().map_err(|error| failed(&self.path, error))
    }

    /// Where a name is: in which installs, in which version. The name itself, ignoring case; else names that match it.
    ///
    /// # Errors
    /// When the index can't be read.
    pub fn find(&self, asked: &str) -> Result<Sightings, ShelfError> {
        self.sightings(asked).map_err(|error| failed(&self.path, error))
    }

    fn sightings(&self, asked: &str) -> rusqlite::Result<Sightings> {
        let installs = self.labels()?;
        let mut found = Sightings::default();
        let exact = self.word(&asked.trim().to_lowercase())?;
        if let Some(key) = exact {
            self.things_of(key, &installs, &mut found.found)?;
        }
        if found.found.is_empty() {
            let scored = self.scored(asked)?;
            for (score, text, key) in &scored {
                if *score < MATCH || found.names.len() >= NEAREST {
                    break;
                }
                let before = found.found.len();
                self.things_of(*key, &installs, &mut found.found)?;
                if found.found.len() > before {
                    found.names.push(text.into());
                }
            }
            if found.found.is_empty() {
                found.nearest = scored.into_iter().take(NEAREST).map(|(_, text, _)| text.into()).collect();
            }
        } else {
            found.names.push(asked.trim().to_lowercase().into());
        }
        let place = |name: &Text| found.names.iter().position(|known| *known == name.to_lowercase());
        found.found.sort_by_cached_key(|s| (place(&s.name), s.name.clone(), s.handle.clone(), s.what));
        Ok(found)
    }

    /// Which installs have a picture: the same file, or one that shows the same; the oldest release first.
    ///
    /// # Errors
    /// When the index can't be read.
    pub fn find_picture(&self, asked: &Picture) -> Result<Vec<PictureSighting>, ShelfError> {
        let query = || -> rusqlite::Result<Vec<PictureSighting>> {
            let installs = self.labels()?;
            let mut rows =
                self.db.prepare_cached("SELECT install, kind, name, sha256, likeness FROM picture")?;
            let mut rows = rows.query([])?;
            let mut found = Vec::new();
            while let Some(row) = rows.next()? {
                let Some((handle, label)) = installs.get(&row.get::<_, i64>(0)?) else { continue };
                let mut picture = Picture::unread(row.get::<_, String>(2)?);
                let Some(kind) = PictureKind::from_name(&row.get::<_, String>(1)?) else { continue };
                picture.kind = kind;
                picture.sha256 = row.get::<_, String>(3)?.into();
                picture.likeness = row.get::<_, Option<String>>(4)?.map(Text::from);
                let how = asked.beside(&picture);
                if how != Sameness::Other {
                    let (handle, label) = (handle.clone(), label.clone());
                    found.push(PictureSighting { handle, label, kind, name: picture.name, how });
                }
            }
            found.sort_by_cached_key(|one| {
                (one.label.release_date.clone(), one.handle.clone(), one.how, one.name.clone())
            });
            Ok(found)
        };
        query().map_err(|error| failed(&self.path, error))
    }

    /// What installs of the shelf say, and have, of the releases of all that an install has.
    ///
    /// # Errors
    /// When the index can't be read.
    pub fn releases_for(&self, tally: &Tally) -> Result<Known, ShelfError> {
        self.known_releases(tally).map_err(|error| failed(&self.path, error))
    }

    fn known_releases(&self, tally: &Tally) -> rusqlite::Result<Known> {
        let mut installs = self.installs_with_days()?;
        // That an install has what it has proves nothing of it.
        installs.retain(|_, (handle, _)| *handle != tally.label.handle);
        let mut known = Known::default();
        for application in &tally.applications {
            for key in keys_of_application(tally, application) {
                self.stated_releases(&key, &installs, &mut known)?;
            }
            let key = application.id.to_lowercase();
            self.shipped_releases(RowKind::Application, &key, None, &installs, (&key, &mut known))?;
        }
        for part in &tally.parts {
            let key = key_of_part(part);
            let told = (key.as_str(), &mut known);
            self.shipped_releases(
                RowKind::Part,
                &part.part.to_lowercase(),
                Some(&part.name),
                &installs,
                told,
            )?;
        }
        Ok(known)
    }

    /// Every install by its number, with the day by which what it has was out.
    fn installs_with_days(&self) -> rusqlite::Result<FxHashMap<i64, (Text, String)>> {
        let mut rows = self.db.prepare_cached("SELECT id, handle, day FROM install WHERE day IS NOT NULL")?;
        let rows =
            rows.query_map([], |row| Ok((row.get(0)?, (Text::from(row.get::<_, String>(1)?), row.get(2)?))))?;
        rows.collect()
    }

    fn stated_releases(
        &self,
        project: &str,
        installs: &FxHashMap<i64, (Text, String)>,
        known: &mut Known,
    ) -> rusqlite::Result<()> {
        let mut rows = self.db.prepare_cached(
            "SELECT r.released, r.file, max(o.install) FROM releases r JOIN releases_of o ON o.releases = r.id
                JOIN install i ON i.id = o.install WHERE r.project = ?1 GROUP BY r.id ORDER BY r.id",
        )?;
        let mut rows = rows.query([project])?;
        while let Some(row) = rows.next()? {
            let Some((handle, _)) = installs.get(&row.get::<_, i64>(2)?) else { continue };
            let released: BTreeMap<Text, Text> =
                serde_json::from_str(&row.get::<_, String>(0)?).unwrap_or_default();
            let evidence = Evidence::file(row.get::<_, String>(1)?);
            for (version, day) in &released {
                known.add_stated(project, version, day, handle, &evidence);
            }
        }
        Ok(())
    }

    fn shipped_releases(
        &self,
        kind: RowKind,
        key: &str,
        name: Option<&Text>,
        installs: &FxHashMap<i64, (Text, String)>,
        (told, known): (&str, &mut Known),
    ) -> rusqlite::Result<()> {
        let Some(key) = self.word(key)? else { return Ok(()) };
        let mut rows = self.db.prepare_cached(
            "SELECT t.install, v.text, n.text FROM thing t JOIN word v ON v.id = t.version LEFT JOIN word n ON n.id = t.name
                WHERE t.key = ?1 AND t.sort = ?2",
        )?;
        let mut rows = rows.query((key, kind as i64))?;
        while let Some(row) = rows.next()? {
            let Some((handle, day)) = installs.get(&row.get::<_, i64>(0)?) else { continue };
            let own = row.get::<_, Option<String>>(2)?;
            if name.is_none_or(|name| own.as_deref().is_none_or(|own| own == name.as_str())) {
                known.add_shipped(told, &row.get::<_, String>(1)?, day, handle);
            }
        }
        Ok(())
    }

    /// Names that things have, likest first.
    fn scored(&self, asked: &str) -> rusqlite::Result<Vec<(f64, String, i64)>> {
        let score = NameScore::of(asked);
        let mut words = self.db.prepare_cached(
            "SELECT id, text FROM word WHERE EXISTS (SELECT 1 FROM thing JOIN install ON install.id = thing.install WHERE key = word.id)",
        )?;
        let rows = words.query_map([], |row| Ok((row.get::<_, i64>(0)?, row.get::<_, String>(1)?)))?;
        let mut scored: Vec<(f64, String, i64)> = Vec::new();
        for row in rows {
            let (id, text) = row?;
            let score = score.of_name(&text);
            if score > 0.2 {
                scored.push((score, text, id));
            }
        }
        scored.sort_by(|a, b| b.0.total_cmp(&a.0).then_with(|| a.1.cmp(&b.1)));
        Ok(scored)
    }

    fn word(&self, text: &str) -> rusqlite::Result<Option<i64>> {
        let mut word = self.db.prepare_cached("SELECT id FROM word WHERE text = ?1")?;
        word.query_row([text], |row| row.get(0)).optional()
    }

    /// Handles and labels by number.
    fn labels(&self) -> rusqlite::Result<FxHashMap<i64, (String, Label)>> {
        let mut rows =
            self.db.prepare_cached("SELECT id, handle, label FROM install WHERE label IS NOT NULL")?;
        let rows = rows.query_map([], |row| {
            let label: String = row.get(2)?;
            Ok((row.get(0)?, (row.get(1)?, serde_json::from_str(&label).unwrap_or_default())))
        })?;
        rows.collect()
    }

    /// Every thing of a key, one of each sort and version in an install.
    fn things_of(
        &self,
        key: i64,
        installs: &FxHashMap<i64, (String, Label)>,
        found: &mut Vec<Sighting>,
    ) -> rusqlite::Result<()> {
        self.each(&[key], |install, thing| {
            let Some((handle, label)) = installs.get(&install) else { return };
            let sighting = Sighting {
                handle: handle.clone(),
                label: label.clone(),
                what: thing.sort.what(),
                name: if thing.name.is_empty() { thing.key.into() } else { thing.name.into() },
                version: Some(Text::from(thing.version)).filter(|version| !version.is_empty()),
                system: usize::try_from(thing.system).ok().and_then(|at| System::ALL.get(at)).copied(),
            };
            if found.last() != Some(&sighting) {
                found.push(sighting);
            }
        })
    }

    /// Calls for each thing of some keys, by key and install.
    fn each(&self, keys: &[i64], mut call: impl FnMut(i64, Thing)) -> rusqlite::Result<()> {
        let mut rows = self.db.prepare_cached(
            "SELECT install, sort, system, k.text, n.text, v.text, s.text FROM thing
             JOIN word k ON k.id = thing.key LEFT JOIN word n ON n.id = thing.name
             LEFT JOIN word v ON v.id = thing.version LEFT JOIN word s ON s.id = thing.source
             WHERE key = ?1 ORDER BY install, sort, number",
        )?;
        for key in keys {
            let mut rows = rows.query([key])?;
            while let Some(row) = rows.next()? {
                let text = |i: usize| row.get::<_, Option<String>>(i).map(Option::unwrap_or_default);
                let Some(sort) = RowKind::from_number(row.get(1)?) else { continue };
                let thing = Thing {
                    sort,
                    system: row.get(2)?,
                    key: text(3)?,
                    name: text(4)?,
                    version: text(5)?,
                    source: text(6)?,
                    claims: Vec::new(),
                };
                call(row.get(0)?, thing);
            }
        }
        Ok(())
    }

    /// A tally of every install that holds no more than its label and what bears on a name: parts and applications of that name;
    /// packages of that name, of the same but for series numbers, and those that take their place or whose place they take.
    ///
    /// # Errors
    /// When the index can't be read.
    pub fn around(&self, asked: &str) -> Result<Vec<Tally>, ShelfError> {
        self.thin(asked).map_err(|error| failed(&self.path, error))
    }

    fn thin(&self, asked: &str) -> rusqlite::Result<Vec<Tally>> {
        let mut tallies: FxHashMap<i64, Tally> = FxHashMap::default();
        #[allow(clippy::iter_over_hash_type, reason = "each label goes to a place of its own")]
        for (id, (handle, mut label)) in self.labels()? {
            label.handle = handle.as_str().into();
            tallies.insert(id, Tally::new("index", taken(), label));
        }
        let name = asked.trim().to_lowercase();
        // `system:name` bears on what the name bears on; whoever asks tells the systems apart.
        let of_system = name.split_once(':').filter(|(system, _)| System::from_name(system).is_some());
        if let Some(key) = self.word(of_system.map_or(name.as_str(), |(_, name)| name))? {
            let (keys, claims) = self.family_of(key)?;
            self.each(&keys, |install, thing| {
                if let Some(tally) = tallies.get_mut(&install) {
                    add(tally, thing, &claims);
                }
            })?;
        }
        let mut tallies: Vec<Tally> = tallies.into_values().collect();
        tallies.sort_by(|a, b| a.label.handle.cmp(&b.label.handle));
        Ok(tallies)
    }

    /// Keys that bear on one: itself, the same but for series numbers, and for all of those who claims whose place.
    fn family_of(&self, key: i64) -> rusqlite::Result<(Vec<i64>, Claims)> {
        let numbers = |query: &str, key: i64| -> rusqlite::Result<Vec<i64>> {
            self.db.prepare_cached(query)?.query_map([key], |row| row.get(0))?.collect()
        };
        let kin = "SELECT b.key FROM kin a JOIN kin b ON b.family = a.family WHERE a.key = ?1";
        let mut keys: Vec<i64> = vec![key];
        keys.extend(numbers(kin, key)?);
        for direction in
            ["SELECT claimant FROM claim WHERE claimed = ?1", "SELECT claimed FROM claim WHERE claimant = ?1"]
        {
            keys.extend(numbers(direction, key)?);
        }
        keys.sort_unstable();
        keys.dedup();
        let mut claims = Claims::default();
        let mut query = self.db.prepare_cached(
            "SELECT w.text, c.text FROM claim JOIN word w ON w.id = claimant JOIN word c ON c.id = claimed WHERE claimant = ?1",
        )?;
        for key in &keys {
            let rows =
                query.query_map([key], |row| Ok((row.get::<_, String>(0)?, row.get::<_, String>(1)?)))?;
            for row in rows {
                let (claimant, claimed) = row?;
                claims.entry(claimant).or_default().push(claimed);
            }
        }
        Ok((keys, claims))
    }
}

/// Puts a thing back into a tally, as far as the index knows it.
fn add(tally: &mut Tally, thing: Thing, claims: &Claims) {
    let system = usize::try_from(thing.system).ok().and_then(|at| System::ALL.get(at)).copied();
    let version = Some(Text::from(thing.version.as_str())).filter(|version| !version.is_empty());
    let name = if thing.name.is_empty() { thing.key.clone() } else { thing.name };
    match (thing.sort, system) {
        (RowKind::Package, Some(system)) => {
            let mut package = Package::new(system, name.as_str(), thing.version.as_str());
            package.upstream_version = thing.version.as_str().into();
            package.source = Some(thing.source).filter(|source| !source.is_empty()).map(Text::from);
            let claimed = claims.get(&thing.key).into_iter().flatten();
            let claimed: Vec<Dependency> = claimed
                .map(|name| Dependency { name: name.as_str().into(), op: None, version: None })
                .collect();
            (package.replaces, package.provides) = (claimed.clone(), claimed);
            tally.packages.push(package);
        }
        (RowKind::Application | RowKind::ApplicationName, system) => {
            let id = if thing.sort == RowKind::Application { &thing.key } else { &thing.source };
            let delivery = system.map(|system| Delivery {
                system,
                package: Text::default(),
                version: thing.version.as_str().into(),
                bytes: None,
            });
            match tally.applications.iter_mut().find(|known| known.id == *id) {
                Some(known) => {
                    known.delivered.extend(delivery.filter(|delivery| !known.delivered.contains(delivery)));
                }
                None => tally.applications.push(Application {
                    id: id.as_str().into(),
                    name: name.into(),
                    version,
                    menu: Menu::Other,
                    roles: Vec::new(),
                    delivered: delivery.into_iter().collect(),
                    launchers: Vec::new(),
                    bytes: None,
                }),
            }
        }
        (RowKind::Part | RowKind::PartName, system) => {
            let part = if thing.sort == RowKind::Part { &thing.key } else { &thing.source };
            let known = tally.parts.iter().any(|known| known.part == *part && known.name == name);
            if !known {
                tally.parts.push(Part {
                    part: part.as_str().into(),
                    package: system.map(|system| PackageRef::new(system, &name)),
                    name: name.into(),
                    version,
                    others: Vec::new(),
                    evidence: Evidence::default(),
                });
            }
        }
        _ => {}
    }
}

fn taken() -> Taken {
    Taken {
        at: Text::default(),
        from: "index".into(),
        medium: Medium::Installed,
        layer: None,
        sha256: None,
        root: None,
    }
}
