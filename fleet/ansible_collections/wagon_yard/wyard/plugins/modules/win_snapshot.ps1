#!powershell
# Copyright: the authors of Wagon Yard
# MIT License (see LICENSE)
# The module snapshot for Windows hosts. Nobody has run it yet.

#AnsibleRequires -CSharpUtil Ansible.Basic
#AnsibleRequires -PowerShell ..module_utils.Program

$options = Get-WyardOption
$options.gather_into = @{ type = "path"; required = $true }
$options.label = @{ type = "str" }
$options.versions = @{ type = "bool"; default = $false }
$module = [Ansible.Basic.AnsibleModule]::Create($args, @{ options = $options; supports_check_mode = $true })

$file = Join-Path -Path $module.Tmpdir -ChildPath "snapshot.json.gz"
$words = @("snapshot", "--into", $file)
if ($module.Params.label) {
    $words += @("--name", $module.Params.label)
}
if ($module.Params.versions) {
    $words += "--versions"
}
$null = Invoke-Wyard -Module $module -Words $words
# The action plugin writes it on the controller.
$module.Result.packed = [Convert]::ToBase64String([System.IO.File]::ReadAllBytes($file))
$module.ExitJson()
