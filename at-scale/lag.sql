-- How far the apps and parts of an install were behind: how many newer releases were out on a day as far as any install tells, the newest,
-- and the day of the first of them, from which the days behind are counted.
-- A release is known by the list of its project (metainfo), else by an install that shipped it.
-- question: install, day
WITH own AS (
    SELECT DISTINCT what, name, project, version, version_key, dated, by_own_list FROM projects
    WHERE handle = (SELECT value FROM question WHERE name = 'install')
), told AS (
    SELECT own.what, own.name, own.version AS own_version, own.version_key AS own_key, releases.version_key,
        min(releases.version) AS version,
        -- Each version once, by who says most of it, on the earliest day that is told.
        coalesce(min(CASE WHEN releases.known_by = 'metainfo' THEN releases.released END), min(releases.released)) AS released
    FROM own JOIN releases ON releases.project = own.project AND releases.dated = own.dated
    WHERE releases.known_by = 'metainfo'
       OR (NOT own.by_own_list AND releases.handle <> (SELECT value FROM question WHERE name = 'install'))
    GROUP BY own.what, own.name, own.version, own.version_key, releases.version_key
), newer AS (
    SELECT what, name, own_version, version, released,
        row_number() OVER (PARTITION BY what, name, own_version ORDER BY version_key DESC) AS place
    FROM told
    WHERE version_key > own_key AND released <= (SELECT value FROM question WHERE name = 'day')
)
SELECT what, name, own_version, count(*) AS newer_releases, min(released) AS first_newer,
    max(CASE WHEN place = 1 THEN version END) AS newest
FROM newer
GROUP BY what, name, own_version
ORDER BY first_newer, what, name
