// Holds scripts to a grammar of PowerShell, and to the commands, parameters, operators, types and members that its
// version 2 has with the second version of its class library. What is not on the lists is refused, so that whoever
// needs more looks first whether the oldest system has it.
import { Language, Parser } from 'web-tree-sitter'
import { readFileSync } from 'node:fs'

// Commands by their parameters; those that the script declares itself are taken as they are.
const commands = {
  'Add-Type': ['Namespace', 'Name', 'MemberDefinition'],
  'ForEach-Object': ['Process'],
  'Get-WmiObject': ['Namespace', 'Class', 'Filter'],
  'New-Object': ['TypeName', 'ArgumentList'],
  'Where-Object': ['FilterScript'],
  'Write-Error': ['Message'],
}
const operators = ['eq', 'ne', 'gt', 'ge', 'lt', 'le', 'like', 'notlike', 'match', 'notmatch', 'contains',
  'notcontains', 'replace', 'split', 'join', 'is', 'isnot', 'as']
const types = ['string', 'byte', 'byte[]', 'int', 'long', 'uint32', 'bool', 'void', 'ref', 'scriptblock', 'Parameter',
  'BitConverter', 'Collections.ArrayList', 'Convert', 'DateTime', 'IntPtr', 'IO.File', 'Math',
  'Microsoft.Win32.Registry', 'Rolltop.Native', 'Runtime.InteropServices.Marshal',
  'Security.Principal.WindowsBuiltInRole', 'Security.Principal.WindowsIdentity', 'Security.Principal.WindowsPrincipal',
  'System.Collections.ArrayList', 'System.Management.Automation.MethodInvocationException',
  'System.Management.ManagementException', 'Text.Encoding']
const members = ['Add', 'Administrator', 'Count', 'DriveFormat', 'ErrorCode', 'Exception', 'GetBytes', 'GetCurrent',
  'GetEnumerator', 'GetLastWin32Error', 'GetUnresolvedProviderPathFromPSPath', 'GetValue', 'GetValueKind', 'IsInRole',
  'Key', 'Length', 'LocalMachine', 'Max', 'Message', 'OpenSubKey', 'Path', 'Replace', 'SessionState', 'Substring',
  'ToArray', 'ToBase64String', 'ToInt64', 'ToString', 'ToUInt32', 'TryParse', 'UTF8', 'Unicode', 'UtcNow', 'Value',
  'WriteAllText', 'Zero']
// Of Win32_EncryptableVolume, in its first version.
members.push('ConversionStatus', 'GetConversionStatus', 'GetKeyProtectors', 'GetProtectionStatus', 'ProtectionStatus',
  'ReturnValue', 'VolumeKeyProtectorID')

await Parser.init()
const parser = new Parser()
parser.setLanguage(await Language.load(
  new URL('node_modules/tree-sitter-powershell/tree-sitter-powershell.wasm', import.meta.url).pathname))

function nodes(root) {
  return [root, ...root.children.flatMap(nodes)]
}

const has = (list, name) => list.some(x => x.toLowerCase() === name.toLowerCase())

// What is wrong with a script: a line each.
function mistakes(text) {
  const out = []
  const all = nodes(parser.parse(text).rootNode)
  const say = (node, what) => {
    out.push(`${node.startPosition.row + 1}: ${what}: ${node.text.split('\n')[0].slice(0, 60)}`)
  }
  const own = all.filter(n => n.type === 'function_name').map(n => n.text)
  // What the script declares of the system's own libraries is its own, too.
  const native = [...text.matchAll(/static extern \S+ (\w+)\(/g)].map(m => m[1])
  for (const n of all) {
    switch (n.type) {
      case 'ERROR':
        say(n, 'the grammar does not know this')
        break
      case 'command_name':
        if (!/^\d+\.\.\d+$/.test(n.text) && !has(own, n.text) && !has(Object.keys(commands), n.text)) {
          say(n, 'a command that version 2 may not have')
        }
        break
      case 'command_parameter': {
        const command = n.parent.parent.children.find(c => c.type === 'command_name')?.text ?? ''
        const known = Object.entries(commands).find(([name]) => name.toLowerCase() === command.toLowerCase())
        if (!has(own, command) && known && !has(known[1], n.text.slice(1))) {
          say(n, 'a parameter that version 2 may not have')
        }
        break
      }
      case 'comparison_operator':
        if (!has(operators, n.text.slice(1).replace(/^[ci](?=eq|ne|g|l|like|not|match|contains|replace|split)/i, ''))) {
          say(n, 'an operator that version 2 may not have')
        }
        break
      case 'type_spec':
        if (!has(types, n.text)) say(n, 'a type that the oldest class library may not have')
        break
      case 'member_name':
        if (!has(members, n.text) && !has(native, n.text)) say(n, 'a member that the oldest class library may not have')
        break
    }
    if (n.isMissing) say(n, `${n.type} is missing`)
  }
  return out
}

// A check that refuses nothing would pass everything: each of these has to be refused.
const wrong = {
  'a newer operator': 'if (3 -in 1, 2) { 1 }',
  'a newer command': 'Get-CimInstance Win32_Processor',
  'a newer parameter': 'New-Object byte[] 4 -ClientPolicy x',
  'a newer type': '$a = [ordered]@{ a = 1 }',
  'a newer member': '[string]::IsNullOrWhiteSpace("")',
  'a bracket that is not closed': 'if ($a) { 1',
  'a newer form': '$a ?? "b"',
}
let failed = false
for (const [name, text] of Object.entries(wrong)) {
  if (mistakes(text).length === 0) {
    console.error(`${name} is not refused: ${text}`)
    failed = true
  }
}
for (const path of process.argv.slice(2)) {
  for (const m of mistakes(readFileSync(path, 'utf8'))) {
    console.error(`${path}:${m}`)
    failed = true
  }
}
if (failed) process.exit(1)
console.log('The scripts keep to the grammar, and to what version 2 has.')
