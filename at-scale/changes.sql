-- Packages that were added, removed, upgraded or downgraded between two installs, by the order of versions of their own system.
-- Of a package that is there several times (another machine, another slot) the highest version counts.
-- question: old, new
WITH was AS (
    SELECT system, name, max(version_key) AS version_key FROM packages
    WHERE handle = (SELECT value FROM question WHERE name = 'old') GROUP BY system, name
), now AS (
    SELECT system, name, max(version_key) AS version_key FROM packages
    WHERE handle = (SELECT value FROM question WHERE name = 'new') GROUP BY system, name
)
SELECT coalesce(was.system, now.system) AS system, coalesce(was.name, now.name) AS name,
    CASE WHEN was.name IS NULL THEN 'added'
         WHEN now.name IS NULL THEN 'removed'
         WHEN now.version_key > was.version_key THEN 'upgraded'
         WHEN now.version_key < was.version_key THEN 'downgraded'
         ELSE 'unchanged' END AS change
FROM was FULL OUTER JOIN now ON was.system = now.system AND was.name = now.name
WHERE was.name IS NULL OR now.name IS NULL OR was.version_key <> now.version_key
ORDER BY system, name
