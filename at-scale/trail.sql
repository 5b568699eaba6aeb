-- A part through the releases of each distribution and edition, the oldest first.
-- question: part
SELECT i.distro_id, i.edition, i.profile, i.arch, i.release, i.handle, p.name, p.version
FROM installs i JOIN parts p ON p.handle = i.handle
WHERE p.part = (SELECT value FROM question WHERE name = 'part')
ORDER BY i.distro_id, i.edition, i.profile, i.arch, i.release_key, i.taken_at, p.name
