//! Detached signatures as OpenSSH has them (its file PROTOCOL.sshsig), and who may make them (section ALLOWED SIGNERS of
//! ssh-keygen(1)). `NAME.sig` beside a file signs it, as `ssh-keygen -Y sign -n file` writes it.

use crate::error::CommandError;
use crate::output;
use signature::Verifier;
use ssh_key::public::KeyData;
use ssh_key::sha2::{Digest, Sha256, Sha512};
use ssh_key::{Fingerprint, HashAlg, LineEnding, PrivateKey, PublicKey, SshSig};
use std::io::Read;
use std::path::{Path, PathBuf};
use tally_core::knowledge::matches;
use tally_shelf::{open_file, read_file};

/// What a signature is for: any file. A signature that was made for something else does not count.
const NAMESPACE: &str = "file";
/// Bytes of a file of keys or of a signature: 1 MiB.
const LIMIT: u64 = 1 << 20;

/// The signature beside a file.
pub(crate) fn beside(file: &Path) -> PathBuf {
    let mut name = file.as_os_str().to_owned();
    name.push(".sig");
    name.into()
}

/// A private key that signs.
pub(crate) struct Signer {
    path: PathBuf,
    key: PrivateKey,
}

impl Signer {
    /// Reads a private key in OpenSSH's format that no passphrase locks: Ed25519 or ECDSA (P-256).
    pub(crate) fn read(path: &Path) -> Result<Self, CommandError> {
        let wrong = |why: String| CommandError::Key { path: path.into(), why };
        let bytes = read_file(path, LIMIT).map_err(|error| wrong(error.to_string()))?;
        let key = PrivateKey::from_openssh(&bytes)
            .map_err(|error| wrong(format!("is no private key of OpenSSH: {error}")))?;
        if key.is_encrypted() {
            let why = "is locked with a passphrase: sign the files with `ssh-keygen -Y sign -n file` instead";
            return Err(wrong(why.into()));
        }
        if key.algorithm().is_rsa() {
            let why = "is an RSA key, with which signatures are only checked here: sign the files with `ssh-keygen -Y sign -n file` instead";
            return Err(wrong(why.into()));
        }
        Ok(Self { path: path.into(), key })
    }

    /// The signature of some bytes, as the content of a `.sig` file.
    pub(crate) fn sign(&self, content: &[u8]) -> Result<Vec<u8>, CommandError> {
        let signed = self
            .key
            .sign(NAMESPACE, HashAlg::Sha512, content)
            .and_then(|signature| signature.to_pem(LineEnding::LF));
        signed.map(String::into_bytes).map_err(|error| CommandError::Key {
            path: self.path.clone(),
            why: format!("can't sign: {error}"),
        })
    }
}

/// A key that is trusted.
#[derive(Debug)]
struct Trusted {
    name: String,
    key: KeyData,
    namespaces: Option<String>,
    /// Moments as digits from the year down to the second.
    after: Option<String>,
    before: Option<String>,
}

/// Who may sign.
#[derive(Debug)]
pub(crate) struct Signers {
    file: PathBuf,
    trusted: Vec<Trusted>,
}

impl Signers {
    /// Reads a file of allowed signers, or of public keys; a line that can't be used is named and left out.
    pub(crate) fn read(file: &Path) -> Result<Self, CommandError> {
        let mut trusted = Vec::new();
        for (at, line) in output::text(file)?.lines().enumerate() {
            let line = line.trim();
            if line.is_empty() || line.starts_with('#') {
                continue;
            }
            match trusted_of(line) {
                Ok(one) => trusted.push(one),
                Err(why) => output::warn(&format!("`{}`, line {}: left out: {why}", file.display(), at + 1)),
            }
        }
        if trusted.is_empty() {
            let why = "has no key that can be used".to_owned();
            return Err(CommandError::Key { path: file.into(), why });
        }
        Ok(Self { file: file.into(), trusted })
    }

    /// Who signed a file; `now` is a moment of RFC 3339, UTC.
    pub(crate) fn check(&self, file: &Path, shown: &str, now: &str) -> Result<String, CommandError> {
        let wrong = |why: String| CommandError::Signature { shown: shown.to_owned(), why };
        let beside = beside(file);
        let bytes = match read_file(&beside, LIMIT) {
            Ok(bytes) => bytes,
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => {
                return Err(wrong(format!("there is no `{}.sig` beside it", name_of(file))));
            }
            Err(error) => return Err(wrong(error.to_string())),
        };
        let signature = SshSig::from_pem(&bytes)
            .map_err(|error| wrong(format!("`{}.sig` is no signature of OpenSSH: {error}", name_of(file))))?;
        if signature.namespace() != NAMESPACE {
            let why = format!("it was signed as `{}`, not as `{NAMESPACE}`", signature.namespace());
            return Err(wrong(why));
        }
        let fingerprint = signature.public_key().fingerprint(HashAlg::Sha256);
        let hash = hash_of(file, signature.hash_alg()).map_err(|error| wrong(error.to_string()))?;
        let data = signed_data(signature.namespace(), signature.reserved(), signature.hash_alg(), &hash);
        if signature.public_key().verify(&data, signature.signature()).is_err() {
            return Err(wrong(format!("the signature by {fingerprint} does not fit its content")));
        }
        let of_key: Vec<&Trusted> =
            self.trusted.iter().filter(|one| one.key == *signature.public_key()).collect();
        if of_key.is_empty() {
            return Err(wrong(format!("{fingerprint}, who signed it, is not in `{}`", self.file.display())));
        }
        let now: String = now.chars().filter(char::is_ascii_digit).collect();
        let valid = of_key.iter().find(|one| {
            one.namespaces.as_deref().is_none_or(|all| all.split(',').any(|one| matches(one, NAMESPACE)))
                && one.after.as_deref().is_none_or(|after| now.as_str() >= after)
                && one.before.as_deref().is_none_or(|before| now.as_str() < before)
        });
        valid.map(|one| who(&one.name, &fingerprint)).ok_or_else(|| {
            wrong(format!("`{}` does not allow {fingerprint} to sign files now", self.file.display()))
        })
    }
}

fn who(name: &str, fingerprint: &Fingerprint) -> String {
    if name.is_empty() { fingerprint.to_string() } else { format!("{name} ({fingerprint})") }
}

fn name_of(file: &Path) -> String {
    file.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default()
}

/// What was signed of a file, by section 3 of PROTOCOL.sshsig.
fn signed_data(namespace: &str, reserved: &[u8], algorithm: HashAlg, hash: &[u8]) -> Vec<u8> {
    let mut data = b"SSHSIG".to_vec();
    for field in [namespace.as_bytes(), reserved, algorithm.as_str().as_bytes(), hash] {
        // Each is far below 4 GiB.
        data.extend(u32::try_from(field.len()).unwrap_or(u32::MAX).to_be_bytes());
        data.extend(field);
    }
    data
}

/// The hash of a file of any size.
fn hash_of(file: &Path, algorithm: HashAlg) -> std::io::Result<Vec<u8>> {
    fn hashed<D: Digest>(mut file: impl Read) -> std::io::Result<Vec<u8>> {
        let (mut hash, mut buffer) = (D::new(), vec![0; 1 << 18]);
        loop {
            match file.read(&mut buffer)? {
                0 => return Ok(hash.finalize().to_vec()),
                read => hash.update(&buffer[..read]),
            }
        }
    }
    let file = open_file(file)?;
    match algorithm {
        HashAlg::Sha256 => hashed::<Sha256>(file),
        HashAlg::Sha512 => hashed::<Sha512>(file),
        _ => Err(std::io::Error::other("its signature uses a hash that is not known here")),
    }
}

/// Words of a line; quotes hold blanks together, and stay.
fn words(line: &str) -> Vec<String> {
    let (mut words, mut word, mut quoted) = (Vec::new(), String::new(), false);
    for character in line.chars() {
        match character {
            '"' => {
                quoted = !quoted;
                word.push(character);
            }
            blank if blank.is_whitespace() && !quoted => {
                if !word.is_empty() {
                    words.push(std::mem::take(&mut word));
                }
            }
            other => word.push(other),
        }
    }
    if !word.is_empty() {
        words.push(word);
    }
    words
}

/// A line of a file of allowed signers: principals, options, key; or the key alone.
fn trusted_of(line: &str) -> Result<Trusted, String> {
    let words = words(line);
    let is_sort = |word: &String| ["ssh-", "ecdsa-", "sk-"].iter().any(|begin| word.starts_with(begin));
    let at = words.iter().take(3).position(is_sort).ok_or("it has no public key")?;
    let text = words.get(at + 1).map(|key| format!("{} {key}", words[at]));
    let key = PublicKey::from_openssh(&text.ok_or("it has no public key")?)
        .map_err(|error| format!("its key can't be read: {error}"))?;
    let name = words.first().filter(|_| at > 0).map(|name| name.trim_matches('"').to_owned());
    let mut trusted = Trusted {
        name: name.unwrap_or_default(),
        key: key.key_data().clone(),
        namespaces: None,
        after: None,
        before: None,
    };
    for option in words.get(1).filter(|_| at == 2).map(|all| options(all)).unwrap_or_default() {
        let (key, value) = option.split_once('=').unwrap_or((&option, ""));
        let value = value.trim_matches('"').to_owned();
        match key.to_ascii_lowercase().as_str() {
            "namespaces" => trusted.namespaces = Some(value),
            "valid-after" => trusted.after = Some(moment(&value)?),
            "valid-before" => trusted.before = Some(moment(&value)?),
            "cert-authority" => return Err("certificates are not checked here".into()),
            other => return Err(format!("its option `{other}` is not known here")),
        }
    }
    Ok(trusted)
}

/// Options, with commas between; a comma in quotes belongs to its option.
fn options(all: &str) -> Vec<String> {
    let (mut options, mut quoted) = (vec![String::new()], false);
    for character in all.chars() {
        quoted ^= character == '"';
        match options.last_mut() {
            Some(option) if character != ',' || quoted => option.push(character),
            _ => options.push(String::new()),
        }
    }
    options
}

/// `YYYYMMDD`, `YYYYMMDDHHMM` or `YYYYMMDDHHMMSS`, filled up to the second; read as UTC.
fn moment(text: &str) -> Result<String, String> {
    let digits = text.trim_end_matches('Z');
    match (digits.len(), digits.bytes().all(|byte| byte.is_ascii_digit())) {
        (8 | 12 | 14, true) => Ok(format!("{digits:0<14}")),
        _ => Err(format!("`{text}` is no moment")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const KEY: &str = "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAILM+rvN+ot98qgEN796jTiQfZfG1KaT0PtFDJ/XFSqti";

    #[test]
    fn lines_of_allowed_signers_are_read_with_their_options() {
        let plain = trusted_of(KEY).unwrap();
        assert_eq!(plain.name, "");
        let named = trusted_of(&format!(
            "desk@marsh.example,*@reed.example namespaces=\"git,fi*\",valid-before=\"20310101\" {KEY} a remark"
        ))
        .unwrap();
        assert_eq!(named.name, "desk@marsh.example,*@reed.example");
        assert_eq!(named.namespaces.as_deref(), Some("git,fi*"));
        assert_eq!(named.before.as_deref(), Some("20310101000000"));
        assert_eq!(named.key, plain.key);
        for (line, why) in [
            (format!("desk cert-authority {KEY}"), "certificates"),
            (format!("desk valid-after=\"soon\" {KEY}"), "no moment"),
            (format!("desk colour=\"red\" {KEY}"), "colour"),
            ("desk ssh-ed25519 AAAA".into(), "can't be read"),
            ("desk ssh-ed25519".into(), "no public key"),
            ("a b c d ssh-ed25519 AAAA".into(), "no public key"),
        ] {
            assert!(trusted_of(&line).unwrap_err().contains(why), "{line}");
        }
    }

    #[test]
    fn moments_are_filled_up() {
        assert_eq!(moment("20310502").unwrap(), "20310502000000");
        assert_eq!(moment("203105021030Z").unwrap(), "20310502103000");
        assert!(moment("2031-05-02").is_err());
    }
}
