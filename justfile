# `just` lists these; each is one line that can be typed as well.

# Format check, lints, tests: what every change must pass
ci:
    bash .ci/run

# Write what is generated: the JSON Schema
generate:
    cargo run --quiet -- rules schema -o docs/tally.schema.json

# Accept changed snapshots after reading them (needs cargo-insta)
snapshots:
    cargo insta test --accept

# Hold our answers against the package system's own, on real roots
real-check *ROOTS:
    scripts/real-check {{ROOTS}}

# Time whole commands side by side with the package system's own
bench *ROOTS:
    scripts/bench {{ROOTS}}

# Take the pictures in docs/screenshots anew
pictures:
    scripts/pictures
