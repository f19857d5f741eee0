"""stubs"""
