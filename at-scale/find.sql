-- Which installs have a name, as a package, an app or a part, and in which version.
-- question: name
SELECT DISTINCT 'package' AS what, handle, name, upstream_version AS version
FROM packages
WHERE lower(name) = (SELECT lower(value) FROM question WHERE name = 'name')
UNION
SELECT DISTINCT 'application' AS what, handle, name, version
FROM apps
WHERE lower(name) = (SELECT lower(value) FROM question WHERE name = 'name')
   OR lower(id) = (SELECT lower(value) FROM question WHERE name = 'name')
UNION
SELECT DISTINCT 'part' AS what, handle, name, version
FROM parts
WHERE lower(name) = (SELECT lower(value) FROM question WHERE name = 'name')
   OR part = (SELECT lower(value) FROM question WHERE name = 'name')
ORDER BY handle, what, version
