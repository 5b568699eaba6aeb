-- Which of some apps' installs have each app: how many, and the lowest and highest version among them.
-- question: distro
SELECT a.id, count(DISTINCT a.handle) AS installs, min(a.version_key) AS lowest_key, max(a.version_key) AS highest_key
FROM apps a JOIN installs i ON i.handle = a.handle
WHERE i.distro_id = (SELECT value FROM question WHERE name = 'distro')
GROUP BY a.id
ORDER BY a.id
