// A rider moves gates of the sections in the token, a dispatcher any of them, the workshop too.
// Nobody moves a gate that is locked out.
function decide({ principal, client, request, resource }) {
  const gate = request.parameters.gateId;
  const lockOut = resource.lockouts[gate];
  if (lockOut) return { allow: false, reason: `${gate} is locked out: ${lockOut.reason}`, tell: true };

  if (principal.roles.includes('dispatcher') || client.id === 'workshop') return { allow: true };
  if (!principal.roles.includes('rider')) return { allow: false, reason: 'only riders and dispatchers move gates', tell: true };

  const section = resource.gates[gate]?.section;
  if (!section) return { allow: false, reason: `nobody knows in which section ${gate} lies` };
  const own = principal.attributes.sections ?? [];
  if (!own.includes(section)) return { allow: false, reason: `${gate} lies in ${section}`, tell: true };
  return { allow: true, headers: { 'x-section': section } };
}
