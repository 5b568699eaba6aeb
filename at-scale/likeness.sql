-- How alike each two installs of a distribution and release are: the share of apps that both have of those that either has.
-- question: distro, release
WITH of_it AS (
    SELECT DISTINCT a.handle, a.id FROM apps a JOIN installs i ON i.handle = a.handle
    WHERE i.distro_id = (SELECT value FROM question WHERE name = 'distro')
      AND i.release = (SELECT value FROM question WHERE name = 'release')
), sizes AS (
    SELECT handle, count(*) AS apps FROM of_it GROUP BY handle
), common AS (
    SELECT x.handle AS one, y.handle AS other, count(*) AS apps
    FROM of_it x JOIN of_it y ON x.id = y.id AND x.handle < y.handle GROUP BY x.handle, y.handle
)
SELECT s.handle AS one, t.handle AS other, coalesce(c.apps, 0) AS both_have,
    s.apps + t.apps - coalesce(c.apps, 0) AS either_has
FROM sizes s JOIN sizes t ON s.handle < t.handle
LEFT JOIN common c ON c.one = s.handle AND c.other = t.handle
ORDER BY one, other
